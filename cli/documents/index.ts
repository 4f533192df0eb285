import type { DocumentKind } from '../../core/document/documents'
import { alert } from './alert'
import { connection } from './connection'
import { control } from './control'
import type { Carrier } from './definition'
import { job } from './job'

/** Every kind of document, as the command puts and gets it. */
export const carriers: { readonly [K in DocumentKind]: Carrier<K> } = { connection, control, job, alert }

export const carrierOf = <K extends DocumentKind>(kind: K): Carrier<K> =>
  carriers[kind] as unknown as Carrier<K>
