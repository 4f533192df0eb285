import type { Request, Response } from 'express'
import type { z } from 'zod'
import type { Answer, Route } from '../contract/route'
import type { Routes } from '../contract/routes'
import type { Engine } from '../engine/context/engine'
import type { Planner } from '../engine/planner/asks'
import type { Account } from './auth'
import type { HealthWatch } from './health'

/** What a handler works with. */
export interface Asked {
  readonly engine: Engine
  readonly account: Account
  readonly request: Request
  readonly response: Response
  readonly options: ServerOptions
}

export interface ServerOptions {
  readonly organisation: string
  /** Accounts shown on the sign-in page; a demo has them. */
  readonly demoAccounts: readonly { email: string; password: string; role: string }[]
  readonly background: () => { label: string; done: number; total: number } | null
  /** Names beside those of this machine that the server goes by. */
  readonly hosts?: readonly string[]
  /** Addresses (CIDR) of proxies whose word on who asks, and whether by TLS, is taken. */
  readonly proxies?: readonly string[]
  /** Folder of the built pages. */
  readonly pages: string
  readonly planner: Planner
  readonly health: HealthWatch
  /** Every answer is held to the contract: for tests. */
  readonly checkAnswers?: boolean
}

export type Handler<T> =
  T extends Route<infer P, infer Q, infer B, z.ZodType>
    ? (
        asked: Asked,
        given: { params: z.output<P>; query: z.output<Q>; body: z.output<B> },
      ) => Promise<Answer<T>>
    : never
export type Handlers = { readonly [K in keyof Routes]: Handler<Routes[K]> }
