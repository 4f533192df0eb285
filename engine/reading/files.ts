import type { DuckDBConnection } from '@duckdb/node-api'
import { formatText, type FileFormat } from '../../core/catalog/found'
import { formats as known, kindByName, type FileKind } from '../../core/files/formats'
import { insideStore, Lister, type FileStore } from '../connectors/files/store'
import { stepFault, StepFault, nothingWritten, type Outcome } from '../context/step'
import { formats } from '../formats'
import type { FileReading, FormattedFile } from '../formats/definition'
import { detectFile } from '../formats/detect'
import type { StoreFile } from '../formats/relation'
import { recordsOf } from './records'
import type { EmptySource, OpenSource } from './source'

/** Files of a store that a pattern finds. */
export interface FilesPlace {
  readonly store: FileStore
  /** Wildcards match; those of values are escaped. */
  readonly pattern: string
  /** The pattern for people. */
  readonly said: string
  readonly reading: FileReading
  /** Is told which files the pattern finds, and says which of them are of other datasets, and left out. */
  readonly sift?: (paths: readonly string[]) => Promise<ReadonlySet<string>>
  /** Where there is none, the load is skipped, not failed. */
  readonly optional: boolean
}

interface FoundFile extends StoreFile {
  readonly size: number
  readonly modified: string
  readonly format: FileFormat
}

/**
 * Opens the files that match a pattern. Those of one load have the same columns.
 * @throws StepFault `no-file`, `file`, `columns-differ`, `header`
 */
export async function openFiles(
  duck: DuckDBConnection,
  { store, pattern, said: told, reading, optional, sift }: FilesPlace,
  folder: string,
  outcome: Outcome,
): Promise<OpenSource | EmptySource> {
  const matching = await new Lister(store).find(pattern)
  const others = await sift?.(matching.map(({ path }) => path))
  const found = others ? matching.filter(({ path }) => !others.has(path)) : matching
  if (found.length === 0)
    throw new StepFault(
      {
        code: 'no-file',
        message: `no file matches ${told} in ${store.name}`,
        effect: nothingWritten,
        advice: 'rerun when it has come, or mend the pattern',
      },
      optional,
    )
  const opened: FormattedFile[] = []
  const all: FoundFile[] = []
  for (const file of found) {
    const full = await insideStore(store, file.path)
    const read = file.size === 0 ? undefined : (await readHead(full, file.path, reading)).head
    all.push({ ...file, full, format: read?.format ?? { kind: 'csv' } })
    if (read) opened.push({ path: file.path, full, ...read })
  }
  const label = found[0]!.path
  const [first] = opened
  if (!first) {
    outcome.log.push(`${found.map(({ path }) => path).join(', ')}: no header and no rows`)
    return { empty: true, label, counted: recordsOf(store, all, () => 0) }
  }
  const kinds = [...new Set(opened.map(({ format }) => format.kind))]
  if (kinds.length > 1)
    stepFault(
      'file',
      `${label} and others are files of different kinds: ${kinds.join(', ')}`,
      'load each kind by rows of its own',
    )
  if (reading.format === 'detect')
    for (const { path, format } of opened) outcome.log.push(`${path}: read as ${formatText(format)}`)
  for (const { path, said = [] } of opened) outcome.log.push(...said.map((words) => `${path}: ${words}`))
  const {
    rows,
    said: lacking = [],
    ...laid
  } = await formats[first.format.kind].open(duck, opened, reading, folder)
  const counted = recordsOf(store, all, (full) => rows.get(full))
  outcome.log.push(...lacking.slice(0, 20))
  // it is waited for when the source was read; until then its fault is no unhandled one
  counted.catch(() => {})
  return { empty: false, label, ...laid, counted }
}

/** The format by the job, else by the ending; documents that stand line by line are read so, whatever the ending. */
function kindOf(path: string, found: FileKind, { format }: FileReading): FileKind {
  if (format === 'detect') return found
  if (format !== undefined) return format
  const named = kindByName(path)
  return known[named].family === known[found].family && formats[found].counts === 'lines' ? found : named
}

/** What a file is, how it is to be read, and the columns that its head names. @throws StepFault `file` */
export async function readHead(full: string, path: string, reading: FileReading) {
  // a format that the job names is one of text, whatever the ending says
  const { format, widths, header, delimiter } = reading
  const told =
    (format !== undefined && format !== 'detect' && !formats[format].mark) ||
    (format === undefined && (widths !== undefined || !header || delimiter !== ','))
  const detected = await detectFile(full, told ? 'file' : path)
  if ('reason' in detected)
    stepFault('file', `${path}: ${detected.reason}`, 'look at the file; is it what it should be?')
  const kind = kindOf(path, detected.kind, reading)
  return { detected, head: formats[kind].head(detected, reading) }
}
