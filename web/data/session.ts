import { createContext, useContext } from 'react'
import type { Answer } from '../../contract/route'
import { may, type Right } from '../../core/rights'
import type { routes } from '../../contract/routes'

export type Session = Answer<typeof routes.session>

export interface Here {
  readonly session: Session
  readonly environment: string
  readonly live: boolean
  setEnvironment(name: string): void
  readonly night: boolean
  setNight(night: boolean): void
  signOut(): void
}

export const HereContext = createContext<Here | null>(null)

/** Who is signed in, and in which environment they look. */
export function useHere(): Here {
  const here = useContext(HereContext)
  if (!here) throw new Error('no session here')
  return here
}

/** May this account do something, in an environment where that counts? */
export function useMay(right: Right, environment?: string): boolean {
  const { account } = useHere().session
  return account !== null && may(account, right, environment)
}

/** May this account build: jobs, control tables, the catalog? */
export const useMayChange = (environment?: string): boolean => useMay('build', environment)
