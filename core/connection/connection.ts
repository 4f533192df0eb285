import { connectors } from './registry'
import type { ConnectorDefinition } from './definition'

export type ConnectionKind = keyof typeof connectors
export const connectionKinds = Object.keys(connectors) as [ConnectionKind, ...ConnectionKind[]]

/** The definition of a kind, as its readers see it. */
export const connectorOf = (kind: ConnectionKind): ConnectorDefinition =>
  connectors[kind] as unknown as ConnectorDefinition

export { connectors } from './registry'
