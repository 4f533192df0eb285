import { files } from './files'
import { mail } from './mail'
import { postgres } from './postgres'
import { service } from './service'
import { webhook } from './webhook'

/** Every kind of connection. */
export const connectors = { postgres, files, service, mail, webhook }
