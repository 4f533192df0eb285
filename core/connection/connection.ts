import type { ConnectorDefinition } from './definition'
import { files } from './files'
import { postgres } from './postgres'
import { service } from './service'

/** Every kind of connection. */
export const connectors = { postgres, files, service }

export type ConnectionKind = keyof typeof connectors
export const connectionKinds = Object.keys(connectors) as [ConnectionKind, ...ConnectionKind[]]

/** The definition of a kind, as its readers see it. */
export const connectorOf = (kind: ConnectionKind): ConnectorDefinition =>
  connectors[kind] as unknown as ConnectorDefinition
