import type { z } from 'zod'

/** Settings as they are kept. */
export type Settings = Record<string, string | number>

/** A kind of connection: what is known of it without reaching it. engine/connectors/ has the other half. */
export interface ConnectorDefinition<Schema extends z.ZodType<Settings> = z.ZodType<Settings>> {
  /** `Postgres database`, where it is chosen from a list. */
  readonly title: string
  /** `a database`, within a sentence. */
  readonly words: string
  /** What lies in it. */
  readonly holds: 'tables' | 'files' | 'records' | 'nothing'
  /** Settings in one environment; the secret is kept apart. */
  readonly settings: Schema
  /** What its secret is called, with settings as they are; undefined where it has none. */
  readonly secret: (settings: Readonly<Record<string, unknown>>) => string | undefined
  /** Whom the secret is given to: where that is somebody else, it is asked for again. */
  readonly givenTo?: (settings: Readonly<Record<string, unknown>>) => string
  /** A setting of lines `Name: value` whose values are secrets, too: they are kept with it and never shown again. */
  readonly secretLines?: string
}

export const defineConnector = <Schema extends z.ZodType<Settings>>(
  definition: ConnectorDefinition<Schema>,
): ConnectorDefinition<Schema> => definition
