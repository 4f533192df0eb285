import type { FindingCode, Level } from '../types'
import { alreadyLoaded } from './alreadyLoaded'
import { appendRepeats } from './appendRepeats'
import { calledJobs } from './calledJobs'
import { catalogNames } from './catalogNames'
import { clearedTooEarly } from './clearedTooEarly'
import { connection } from './connection'
import { doesNotVary } from './doesNotVary'
import { emptyFile } from './emptyFile'
import { filesTakenAway } from './filesTakenAway'
import { headerOnly, oddValues, otherColumns, raggedFile, unreadableFile } from './fileHeads'
import { manyFiles } from './manyFiles'
import { missingTable } from './missingTable'
import { nameTooLong } from './nameTooLong'
import { noFile } from './noFile'
import { outsideStore } from './outsideStore'
import { overCap } from './overCap'
import { rosterJump } from './rosterJump'
import type { Rule } from './rule'
import { dottedName, likeTarget, likeTargets, targetKind } from './targetKind'
import { schemaChanged } from './schemaChanged'
import { sliceOpen } from './sliceOpen'
import { slicesOverlap } from './slicesOverlap'
import { targetClash } from './targetClash'
import { timeColumn } from './timeColumn'
import { waitedJobs } from './waitedJobs'
import { watermark } from './watermark'

/** What a finding says, how heavily it can weigh, and the rules that make it. */
export interface FindingKind {
  readonly levels: readonly Level[]
  readonly says: string
  /** Without rules it comes up while expanding (expand.ts), where the texts are resolved. */
  readonly rules: readonly Rule[]
  /** Its words hold values of rows. */
  readonly values?: true
}

/** Every finding there is. */
export const findingKinds: Readonly<Record<FindingCode, FindingKind>> = {
  'target-clash': { levels: ['stop', 'look'], says: 'loads undo each other’s work in one target', rules: [targetClash] },
  'does-not-vary': { levels: ['stop', 'look'], says: 'the same work would be done many times; a parameter nothing uses', rules: [doesNotVary] },
  'empty-roster': { levels: ['look'], says: 'a roster has no rows', rules: [] },
  'roster-jump': { levels: ['look'], says: 'a roster has many more or fewer rows than last time', rules: [rosterJump] },
  'not-one-row': { levels: ['stop'], says: 'one row was meant, and there are none or several', rules: [] },
  'key-repeats': { levels: ['look'], says: 'several rows of a roster have the same key', rules: [] },
  roster: { levels: ['stop'], says: 'a roster that cannot be read', rules: [] },
  'unknown-name': { levels: ['stop'], says: 'a name that does not exist, with the nearest that does', rules: [missingTable] },
  'empty-value': { levels: ['stop'], says: 'an empty value where a name or a path is built', rules: [] },
  'outside-store': { levels: ['stop'], says: 'a path that would leave its store', rules: [outsideStore] },
  'no-file': { levels: ['look', 'note'], says: 'the file a load expects is not there', rules: [noFile] },
  'empty-file': { levels: ['look'], says: 'the file a load expects has no bytes', rules: [emptyFile] },
  'many-files': { levels: ['look'], says: 'several files match where a load reads its file', rules: [manyFiles] },
  'unreadable-file': { levels: ['look'], says: 'a file that is no table, by its beginning', rules: [unreadableFile] },
  'header-only': { levels: ['look'], says: 'a file with a header and no rows', rules: [headerOnly] },
  'ragged-file': { levels: ['look'], says: 'lines with another number of fields than the header', rules: [raggedFile] },
  'odd-values': { levels: ['look'], says: 'values at the beginning of a file that their types cannot take', rules: [oddValues], values: true },
  'other-columns': { levels: ['look'], says: 'a file has columns that the table lacks', rules: [otherColumns] },
  'catalog-names': { levels: ['look'], says: 'names that a person gave in the catalog are not used', rules: [catalogNames] },
  'target-kind': { levels: ['stop'], says: 'a target that is no table', rules: [targetKind] },
  'like-target': { levels: ['look'], says: 'a table would be made although a like one stands', rules: [likeTarget, likeTargets] },
  'dotted-name': { levels: ['look'], says: 'a table would be made with a dot in its name', rules: [dottedName] },
  'already-loaded': { levels: ['note'], says: 'the same file went into the same target before', rules: [alreadyLoaded] },
  'raw-sql': { levels: ['look'], says: 'raw text is spliced into SQL', rules: [] },
  'cleared-too-early': { levels: ['stop', 'look'], says: 'something is emptied or taken away before all who need it are done', rules: [clearedTooEarly, filesTakenAway] },
  'name-too-long': { levels: ['stop'], says: 'a name over 63 bytes, or two that become the same when cut', rules: [nameTooLong] },
  'append-repeats': { levels: ['look', 'note'], says: 'append, with slices that may run again', rules: [appendRepeats] },
  connection: { levels: ['stop', 'look'], says: 'a connection that is not there, is not set up here, lacks a right, or is reached by no worker', rules: [connection] },
  'slice-open': { levels: ['look'], says: 'a slice that is not over yet', rules: [sliceOpen] },
  'slices-overlap': { levels: ['look'], says: 'slices that cut across spans loaded before, or leave a gap', rules: [slicesOverlap] },
  'over-cap': { levels: ['look'], says: 'more at once than a connection allows', rules: [overCap] },
  'schema-changed': { levels: ['look'], says: 'the source’s columns changed since the last load', rules: [schemaChanged] },
  'other-file': { levels: ['note'], says: 'a file is taken in place of the one that a row names', rules: [] },
  'range-count': { levels: ['note'], says: 'a range states its count and both ends', rules: [] },
  parameter: { levels: ['stop'], says: 'a parameter without the value it needs, or with one that does not fit', rules: [] },
  circle: { levels: ['stop'], says: 'parts, steps or jobs that wait for each other, or jobs that run each other', rules: [calledJobs] },
  'never-lines-up': { levels: ['stop'], says: 'slices of another job are waited for that never meet its own', rules: [waitedJobs] },
  'never-runs': { levels: ['look'], says: 'a part or a step that can never run', rules: [] },
  watermark: { levels: ['look', 'note'], says: 'a mark that is empty, or ahead of its source, or of a column with ties', rules: [watermark] },
  'time-column': { levels: ['stop'], says: 'a point in time meets a column that has no place for it', rules: [timeColumn] },
  expression: { levels: ['stop'], says: 'an expression that cannot be worked out', rules: [] },
} // prettier-ignore

/** Every rule that judges an expanded plan. */
export const rules: readonly Rule[] = Object.values(findingKinds).flatMap((kind) => kind.rules)
