import type { FileFormat } from '../../core/catalog/found'
import type { Encoding } from '../../core/files/encodings'

/** A file that was looked at: what it is by its first bytes and its name. */
export interface Known {
  readonly kind: FileFormat['kind']
  readonly gzip: boolean
  readonly encoding: Encoding
  /** Its beginning as text; '' for kinds that are no text. */
  readonly sample: string
  /** Is the sample the whole file? */
  readonly whole: boolean
  /** Where it is not: the end of the file, from anywhere in a line on. */
  readonly end?: string
}

/** What a file is, or why it is no table. */
export type Detected = Known | { readonly reason: string }
