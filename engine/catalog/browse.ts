import { openConnection } from '../connectors/connections'
import type { Entry, FirstRows } from '../connectors/definition'
import { connectorFor } from '../connectors'
import type { Engine } from '../context/engine'

export type { Entry, FirstRows } from '../connectors/definition'

/** What lies at a place of a connection: folders and files, schemas and tables, the addresses of a service. */
export async function browse(
  engine: Engine,
  name: string,
  environment: string,
  path: string,
): Promise<Entry[]> {
  const opened = await openConnection(engine, name, environment)
  return await connectorFor(opened).browse(opened, path)
}

/** The first rows of anything that can be browsed, before anything is set up. */
export async function firstRows(
  engine: Engine,
  name: string,
  environment: string,
  path: string,
  limit = 50,
): Promise<FirstRows> {
  const opened = await openConnection(engine, name, environment)
  return await connectorFor(opened).firstRows(opened, path, limit)
}
