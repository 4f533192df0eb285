import { files } from './files'
import { postgres } from './postgres'
import { service } from './service'

/** Every kind of connection. */
export const connectors = { postgres, files, service }
