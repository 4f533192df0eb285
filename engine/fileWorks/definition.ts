import type { StepSpec } from '../../core/job/steps'
import type { FileDeed } from '../../core/job/fileWorks'
import type { FileStore } from '../connectors/files/store'
import type { StepContext } from '../context/step'
import type { FileRecord } from '../../database/schema'
import type { Content } from './content'
import type { TakenFile } from './taken'

/** What a step that deals with files works on. */
export interface FilesAtWork {
  readonly context: StepContext
  readonly spec: StepSpec<'files'>
  readonly store: FileStore
  readonly files: readonly TakenFile[]
  /** Where they are put; a folder's path is '' for the top of the store. */
  readonly into?: { readonly store: FileStore; readonly folder: string; readonly file: string | undefined }
}

/** Something that is done with files. core/job/fileWorks/ has the other half. */
export interface FileWorker {
  /** Does it, and records each file. @throws StepFault */
  readonly run: (work: FilesAtWork) => Promise<void>
  /** Files that were listed before and are gone: is there something to do all the same? */
  readonly mayFindNone?: (work: FilesAtWork) => Promise<boolean>
}

/** Keeps what was done with a file. */
export function recordFile(
  { context: { outcome }, store }: Pick<FilesAtWork, 'context' | 'store'>,
  file: Pick<TakenFile, 'path' | 'size' | 'modified'>,
  { sha256 }: Pick<Content, 'sha256'>,
  did: FileDeed,
  more: Pick<FileRecord, 'at' | 'why'> = {},
): void {
  outcome.files.push({ store: store.name, path: file.path, size: file.size, modified: file.modified, sha256, records: 0, did, ...more }) // prettier-ignore
  if (did === 'left') return
  outcome.bytes += file.size
  const done = outcome.files.filter((record) => record.did !== 'left').length
  outcome.effect = `${done.toLocaleString('en')} of the files ${done === 1 ? 'was' : 'were'} dealt with, and ${done === 1 ? 'is' : 'are'} recorded`
}
