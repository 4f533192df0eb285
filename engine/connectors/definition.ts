import type pg from 'pg'
import type { FoundDataset, Stray } from '../../core/catalog/found'
import type { ConnectionKind } from '../../core/connection/connection'
import type { SurveyProgress, SurveyScope } from '../../database/catalog'
import type { FileStore } from './files/store'
import type { Service } from './service/service'
import type { SurveyMemory } from './files/survey'
import type { Engine } from '../context/engine'
import type { Network } from '../context/network'
import type { MailServer } from '../messages/smtp'

/** What a connection of each kind is when it is opened: all that its work needs, the secret among it. */
interface OpenedKinds {
  readonly postgres: { readonly config: pg.PoolConfig; readonly pool: () => pg.Pool }
  readonly files: { readonly store: FileStore }
  readonly service: { readonly service: Service }
  readonly mail: { readonly server: MailServer; readonly network: Network }
  readonly webhook: { readonly address: string; readonly key: string | undefined; readonly network: Network }
}

/** A connection as it stands in one environment, its secret opened. Never leaves the engine. */
export type Opened<K extends ConnectionKind = ConnectionKind> = {
  [One in K]: { readonly kind: One; readonly name: string } & OpenedKinds[One]
}[K]

/** One thing that lies at a place of a connection. */
export interface Entry {
  readonly kind: 'folder' | 'file' | 'schema' | 'table' | 'view' | 'endpoint'
  readonly name: string
  /** What to ask for to go there, or to see its first rows. */
  readonly path: string
  /** Bytes. */
  readonly size: number | null
  /** ISO 8601 instant. */
  readonly modified: string | null
  readonly rows: number | null
}

export interface FirstRows {
  readonly columns: readonly { readonly name: string; readonly type: string }[]
  readonly rows: readonly (readonly (string | null)[])[]
  /** How it was read, in words. */
  readonly note: string
}

/** Does one step of a test and keeps what it says; where it throws, the test ends there. */
export type Stepper = <T>(label: string, work: () => Promise<[T, string]>) => Promise<T>

export interface Found {
  readonly dataset: FoundDataset
  /** Files it was worked out from. */
  readonly paths: readonly string[]
}

export interface SurveyAsk {
  readonly scope: SurveyScope
  /** A folder of its own for what must be laid down; whoever uses it takes it away. */
  readonly folder: string
  readonly signal: AbortSignal
  readonly progress: (now: SurveyProgress) => Promise<void>
  /** What earlier surveys read. */
  readonly memory: () => Promise<Omit<SurveyMemory, 'progress'>>
}

/** A kind of connection: how it is reached. core/connection/ has the other half. */
export interface Connector<K extends ConnectionKind> {
  /** Makes what its work needs; nothing is reached yet. */
  readonly open: (
    name: string,
    settings: Readonly<Record<string, string | number>>,
    secret: string | undefined,
    engine: Engine,
  ) => Opened<K>
  /** Why settings may not be: what they lead to is not allowed to this installation. */
  readonly refusal?: (
    settings: Readonly<Record<string, string | number>>,
    engine: Engine,
  ) => Promise<string | undefined>
  /** Tries it, step by step, up to the first that throws. */
  readonly test: (opened: Opened<K>, step: Stepper) => Promise<void>
  /** What lies at a place of it; '' is its root. @throws FaultError `path` */
  readonly browse: (opened: Opened<K>, path: string) => Promise<Entry[]>
  /** The first rows of something in it. @throws FaultError `file` */
  readonly firstRows: (opened: Opened<K>, path: string, limit: number) => Promise<FirstRows>
  /** Looks for datasets in a scope. */
  readonly survey: (opened: Opened<K>, ask: SurveyAsk) => Promise<{ found: Found[]; strays: Stray[] }>
}
