import { rm } from 'node:fs/promises'
import type { DuckDBConnection } from '@duckdb/node-api'
import { addEvidence, judgeEvidence, noEvidence, type Evidence } from '../../../core/catalog/evidence'
import type { FoundColumn, FoundDataset, Stray } from '../../../core/catalog/found'
import { folderValues, groupFiles, nameStem, type FileGroup } from '../../../core/files/grouping'
import { classOf } from '../../../core/catalog/valueClass'
import type { SurveyProgress, SurveyScope, TableShape } from '../../../database/catalog'
import type { FileStore } from './store'
import { insideStore } from './store'
import { formats as known } from '../../../core/files/formats'
import { quoteName } from '../../../core/text/slot'
import { formats } from '../../formats'
import type { Relation } from '../../formats/relation'
import { withMarks } from '../../reading/writings'
import { firstOfClass, readShapes, type ReadFile } from '../../survey/shapes'
import { walk, type WalkedFile } from './walk'

/** One table of one file of the scope. */
interface Entry {
  readonly path: string
  readonly names: readonly string[]
  readonly kind: string
  readonly unnamed: boolean
  readonly inner?: string
  readonly file: WalkedFile
  readonly table: TableShape
  /** The file holds several tables that are no lists of one document. */
  readonly several: boolean
}

/** A dataset with the files it was worked out from. */
export interface FoundFiles {
  readonly dataset: FoundDataset
  readonly paths: readonly string[]
}

export interface FilesSurvey {
  readonly found: FoundFiles[]
  readonly strays: Stray[]
}

export interface SurveyMemory {
  /** Readings of an earlier time, by path. */
  readonly shapes: ReadonlyMap<string, ReadFile>
  /** Columns of known datasets by locator, whose examples are still right where the counts are the same. */
  readonly known: ReadonlyMap<string, readonly FoundColumn[]>
  save(read: readonly ReadFile[]): Promise<void>
  progress(now: SurveyProgress): Promise<void>
}

/**
 * Surveys a file store: lists the files of the scope, reads those that are new or changed, groups like files into
 * datasets and works out their columns. Files that are no table, or that cannot be read, are strays with a reason.
 */
export async function surveyFiles(
  duck: DuckDBConnection,
  store: FileStore,
  scope: SurveyScope,
  memory: SurveyMemory,
  folder: string,
  signal: AbortSignal,
): Promise<FilesSurvey> {
  const { files, strays } = await walk(store, scope, signal)
  const read: ReadFile[] = []
  const unread: WalkedFile[] = []
  for (const file of files) {
    const before = memory.shapes.get(file.path)
    if (before?.file.size === file.size && before.file.modified === file.modified) read.push(before)
    else unread.push(file)
  }
  const reused = read.length
  let bytes = 0
  await memory.progress({ seen: reused, total: files.length, reused, bytes })
  const save = async (lot: readonly ReadFile[]) => {
    read.push(...lot)
    bytes += lot.reduce((sum, { file }) => sum + file.size, 0)
    await memory.save(lot)
    await memory.progress({ seen: read.length, total: files.length, reused, bytes })
  }
  try {
    await readShapes(duck, store, unread, folder, save, signal)
    const byPath = new Map(read.map((entry) => [entry.file.path, entry]))
    const ordered = files.map(({ path }) => byPath.get(path)!)
    for (const { file, fault } of ordered) if (fault !== null) strays.push({ path: file.path, reason: fault })
    const entries = ordered.flatMap(entriesOf)
    const groups = groupFiles(entries)
    const locators = new Set<string>()
    const found: FoundFiles[] = []
    for (const group of groups) {
      const locator = locatorOf(group, locators)
      locators.add(locator)
      const columns = columnsOf(group.files)
      const known = new Map(memory.known.get(locator)?.map((column) => [column.name, column]))
      found.push({
        paths: group.files.map(({ path }) => path),
        dataset: {
          locator,
          kind: 'files',
          name: `${scope.prefix}${nameOf(group, store.name)}`,
          columns: await withExamples(duck, store, group, columns, known, folder, signal),
          key: [],
          format: group.files[0]!.table.format,
          files: group.files.length,
          bytes: group.files.reduce((sum, { file }) => sum + file.size, 0),
          ...rowsOf(group.files),
          ...brokenIn(group.files),
        },
      })
    }
    strays.sort((a, b) => (a.path < b.path ? -1 : 1))
    return { found, strays }
  } finally {
    await rm(folder, { recursive: true, force: true })
  }
}

function entriesOf({ file, tables }: ReadFile): Entry[] {
  return tables.map((table) => ({
    path: file.path,
    file,
    table,
    several: tables.length > 1,
    names: table.columns.map(({ name }) => name),
    // a JSON list and newline-delimited documents of the same columns are like files all the same
    kind: known[table.format.kind].family,
    unnamed: table.unnamed,
    ...(table.format.inner === undefined ? {} : { inner: table.format.inner }),
  }))
}

function rowsOf(entries: readonly Entry[]): { rows?: number; estimated?: boolean } {
  let rows = 0
  for (const { table } of entries) {
    if (table.rows === null) return {}
    rows += table.rows
  }
  return { rows, ...(entries.some(({ table }) => table.estimated) ? { estimated: true } : {}) }
}

function brokenIn(entries: readonly Entry[]): { broken?: number } {
  const broken = entries.reduce((sum, { table }) => sum + table.broken, 0)
  return broken > 0 ? { broken } : {}
}

const endingOf = (path: string): string => /((\.[A-Za-z][A-Za-z0-9]{0,7}){1,2})$/.exec(path)?.[1] ?? ''

function locatorOf({ folder, stem, files }: FileGroup<Entry>, taken: ReadonlySet<string>): string {
  const [first] = files
  const place = folder === '' ? '' : `${folder}/`
  const tail = first!.inner === undefined ? '' : `#${first!.inner}`
  const plain = `${place}${stem}*${endingOf(first!.path)}${tail}`
  if (!taken.has(plain)) return plain
  const own = `${place}${nameStem(first!.path)}*${endingOf(first!.path)}${tail}`
  const sheet = first!.table.format.sheet
  if (sheet !== undefined && !taken.has(`${own}!${sheet}`)) return `${own}!${sheet}`
  for (let n = 2; ; n++) if (!taken.has(`${own} (${n})`)) return `${own} (${n})`
}

/** `lake.readings` for files of lake/readings, `drop.flow` for flow_* files at the top of the store drop. */
function nameOf({ folder, stem, files }: FileGroup<Entry>, store: string): string {
  const parts = [...folder.split('/'), stem, ...(files[0]!.inner?.split('.') ?? []), sheetOf(files)]
  const words = parts.map((part) =>
    part
      .toLowerCase()
      .replace(/[^\p{L}\p{N}]+/gu, '_')
      .replace(/^_|_$/g, ''),
  )
  const kept = words.filter((word, i) => word !== '' && word !== words[i - 1])
  return [store, ...kept].join('.')
}

/** A workbook's table is named for its sheet too, where the book holds several. */
function sheetOf(files: readonly Entry[]): string {
  return files[0]!.several ? (files[0]!.table.format.sheet ?? '') : ''
}

/** Columns of like files: in the order they first appear, their evidence added up, folder values last. */
function columnsOf(entries: readonly Entry[]): FoundColumn[] {
  const seen = new Map<string, { evidence: Evidence; natives: Set<string>; files: number }>()
  for (const { table } of entries) {
    for (const { name, native, counts, longest } of table.columns) {
      const known = seen.get(name) ?? { evidence: noEvidence, natives: new Set(), files: 0 }
      known.evidence = addEvidence(known.evidence, { counts, firsts: {}, longest })
      if (native !== undefined) known.natives.add(native)
      known.files++
      seen.set(name, known)
    }
  }
  const columns: FoundColumn[] = [...seen].map(([name, { evidence, natives, files }]) => {
    const verdict = judgeEvidence(evidence)
    return {
      name,
      type: verdict.type,
      ...(natives.size === 1 && known[entries[0]!.table.format.kind].typed
        ? { sourceType: [...natives][0]! }
        : {}),
      ...(verdict.reading ? { reading: verdict.reading } : {}),
      ...(entries[0]!.unnamed ? { unnamed: true } : {}),
      ...(files < entries.length ? { inFiles: files } : {}),
      verdict,
    }
  })
  const folders = new Map<string, Evidence>()
  for (const { path } of entries) {
    for (const { name, value } of folderValues(path).values) {
      const one = { counts: { [classOf(value)]: 1 }, firsts: {}, longest: value?.length ?? 0 }
      folders.set(name, addEvidence(folders.get(name) ?? noEvidence, one))
    }
  }
  for (const [name, evidence] of folders) {
    if (seen.has(name)) continue
    const verdict = judgeEvidence(evidence)
    columns.push({ name, type: verdict.type, fromFolder: true, verdict })
  }
  return columns
}

/** Looks up, for each column whose type some values decided, the first of these values and where it stands. */
async function withExamples(
  duck: DuckDBConnection,
  store: FileStore,
  { files }: FileGroup<Entry>,
  columns: readonly FoundColumn[],
  known: ReadonlyMap<string, FoundColumn>,
  folder: string,
  signal: AbortSignal,
): Promise<FoundColumn[]> {
  const out: FoundColumn[] = []
  const open = async ({ path, names, table }: Entry) =>
    await formats[table.format.kind].relation(
      duck,
      [{ full: await insideStore(store, path), path: path.split('/').at(-1)! }],
      table.format,
      names,
      folder,
    )
  for (const given of columns) {
    const column = given.verdict?.reading?.marks ? await marked(duck, given, files, open) : given
    const { verdict } = column
    const decided = verdict?.decided
    if (!verdict || !decided || column.fromFolder) {
      out.push(column)
      continue
    }
    const before = known.get(column.name)?.verdict
    const same = before?.looked === verdict.looked && before.decided?.count === decided.count
    let first = same ? (before.decided?.first ?? null) : null
    if (!first) {
      signal.throwIfAborted()
      const [name] = decided.classes
      const holder = files.find(
        ({ table }) => (table.columns.find((one) => one.name === column.name)?.counts[name!] ?? 0) > 0,
      )
      if (holder) {
        const relation = await open(holder)
        const seen = await firstOfClass(duck, relation, column.name, name!).catch(() => undefined)
        if (seen) first = { ...seen, file: holder.path }
      }
    }
    out.push({ ...column, verdict: { ...verdict, decided: { ...decided, first } } })
  }
  return out
}

/** Files that are looked through for the signs at numbers. */
const filesForMarks = 20

/** A column whose numbers have signs that are left out: those that are there; of several it stays text. */
async function marked(
  duck: DuckDBConnection,
  column: FoundColumn,
  files: readonly Entry[],
  open: (entry: Entry) => Promise<Relation>,
): Promise<FoundColumn> {
  const having = files.filter(({ table }) =>
    table.columns.some(
      ({ name, counts }) => name === column.name && Object.keys(counts).some((of) => of.startsWith('marked')),
    ),
  )
  const parts: string[] = []
  for (const entry of having.slice(0, filesForMarks))
    parts.push(`select ${quoteName(column.name)} from ${(await open(entry)).sql}`)
  if (parts.length === 0) return column
  const verdict = await withMarks(duck, `(${parts.join(' union all ')})`, column.name, column.verdict!)
  const { reading: _, ...plain } = column
  return {
    ...plain,
    type: verdict.type,
    ...(verdict.reading ? { reading: verdict.reading } : {}),
    verdict,
  }
}
