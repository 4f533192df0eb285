import type { ConnectionKind } from '../../core/connection/connection'
import type { Connector } from './definition'
import { files } from './files'
import { mail } from './mail'
import { postgres } from './postgres'
import { service } from './service'
import { webhook } from './webhook'

/** Every kind of connection: how it is reached. */
export const connectors: { readonly [K in ConnectionKind]: Connector<K> } = {
  postgres,
  files,
  service,
  mail,
  webhook,
}
