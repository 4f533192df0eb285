import { connections } from './connections'
import { doesNotVary } from './doesNotVary'
import { files } from './files'
import { nameTooLong } from './nameTooLong'
import type { Rule } from './rule'
import { schemaChanged } from './schemaChanged'
import { sliceOpen } from './sliceOpen'
import { targetClash } from './targetClash'

/**
 * Every rule that judges an expanded plan. `empty-roster`, `not-one-row`, `unknown-name`, `empty-value`, `raw-sql`,
 * `range-count`, `parameter` and `expression` come up while expanding (expand.ts), where the texts are resolved.
 */
export const rules: readonly Rule[] = [
  connections,
  targetClash,
  doesNotVary,
  files,
  nameTooLong,
  schemaChanged,
  sliceOpen,
]
