import type { ConnectionKind } from '../../core/connection/connection'
import type { Engine } from '../context/engine'
import type { Connector, Opened } from './definition'
import { connectors } from './registry'

/** The connector of a kind, ready for what it opened. */
export const connectorFor = <K extends ConnectionKind>({ kind }: Opened<K>): Connector<K> =>
  connectors[kind] as unknown as Connector<K>

export const openKind = (
  kind: ConnectionKind,
  name: string,
  settings: Readonly<Record<string, string | number>>,
  secret: string | undefined,
  engine: Engine,
): Opened => connectors[kind].open(name, settings, secret, engine)

/** The connector of a kind, as its readers see it. */
export const kindOf = (kind: ConnectionKind): Pick<Connector<ConnectionKind>, 'refusal'> => connectors[kind]
