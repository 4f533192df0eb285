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
  readonly holds: 'tables' | 'files' | 'records'
  /** Settings in one environment; the secret is kept apart. */
  readonly settings: Schema
  /** What its secret is called, with settings as they are; undefined where it has none. */
  readonly secret: (settings: Readonly<Record<string, unknown>>) => string | undefined
}

export const defineConnector = <Schema extends z.ZodType<Settings>>(
  definition: ConnectorDefinition<Schema>,
): ConnectorDefinition<Schema> => definition
