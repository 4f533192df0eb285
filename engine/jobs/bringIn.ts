import { eq, sql } from 'drizzle-orm'
import { connectorOf, type ConnectionKind } from '../../core/connection/connection'
import { fail, type Fault } from '../../core/fault'
import type { Job } from '../../core/job/document'
import { setAt } from '../../core/job/editText'
import { jobNeeds } from '../../core/job/needs'
import { parseJob } from '../../core/job/parse'
import type { Column, Value } from '../../core/value'
import {
  connection as connectionTable,
  controlTable,
  environment as environmentTable,
} from '../../database/schema'
import { connectionFacts, saveSettings } from '../connectors/connections'
import { kindOf } from '../connectors'
import type { Engine } from '../context/engine'
import { createControl } from '../control/tables'
import { DocumentError, newestVersions, saveJob } from './versions'
import { readEnvironment } from '../planning/plan'

/** A document as it was picked: what it was called, and its text. */
export interface GivenDocument {
  readonly file: string
  readonly text: string
}

/** Where something that is missing is named. */
export interface NamedAt {
  readonly file: string
  readonly line: number
}

export interface CheckedDocument {
  readonly file: string
  readonly name: string | null
  readonly title: string | null
  /** The version it would become; null where the text is saved as it is, or cannot be read. */
  readonly becomes: number | null
  readonly faults: readonly Fault[]
}

/** What documents name and an environment does not have. */
export interface Missing {
  readonly connections: readonly {
    readonly name: string
    readonly kind: ConnectionKind
    /** Is it there, without settings in this environment? */
    readonly known: boolean
    readonly at: readonly NamedAt[]
  }[]
  readonly controls: readonly {
    readonly name: string
    readonly columns: readonly string[]
    readonly at: readonly NamedAt[]
  }[]
  readonly values: readonly { readonly name: string; readonly at: readonly NamedAt[] }[]
}

/** What a person says for what is missing. */
export interface Given {
  readonly connections: Readonly<
    Record<
      string,
      | { readonly use: string }
      | { readonly settings: Record<string, string | number>; readonly secret?: string | undefined }
    >
  >
  readonly controls: Readonly<
    Record<
      string,
      { readonly use: string } | { readonly columns: readonly Column[]; readonly key: readonly string[] }
    >
  >
  readonly values: Readonly<Record<string, string>>
}

interface Read {
  readonly file: string
  readonly text: string
  readonly job: Job | undefined
  readonly faults: Fault[]
  readonly place: (path: string) => { line: number; column: number }
}

function readAll(documents: readonly GivenDocument[]): Read[] {
  const read = documents.map(({ file, text }): Read => {
    const { job, faults, place } = parseJob(text)
    return {
      file,
      text,
      job,
      faults: faults.map((fault) => ({ ...fault, where: { ...fault.where, file } })),
      place,
    }
  })
  const first = new Map<string, string>()
  for (const { file, job, faults, place } of read) {
    if (!job) continue
    const other = first.get(job.name)
    if (other === undefined) first.set(job.name, file)
    else
      faults.push({
        code: 'document',
        message: `"${job.name}" is the job of ${other}, too; one of them needs another name`,
        where: { file, path: 'name', ...place('name') },
      })
  }
  return read
}

/**
 * Looks through documents before they are brought in: every mistake by document and line, and what they name that is
 * missing in the environment. Changes nothing.
 */
export async function checkDocuments(
  engine: Engine,
  documents: readonly GivenDocument[],
  environment: string,
): Promise<{ documents: CheckedDocument[]; missing: Missing }> {
  const read = readAll(documents)
  const newest = new Map((await newestVersions(engine)).map((version) => [version.job, version]))
  const facts = await connectionFacts(engine, environment)
  const { values: known } = await readEnvironment(engine, environment)
  const controls = new Set(
    (await engine.db.select({ name: controlTable.name }).from(controlTable)).map(({ name }) => name),
  )
  const connections = new Map<string, Mutable<Missing['connections'][number]>>()
  const tables = new Map<string, { name: string; columns: Set<string>; at: NamedAt[] }>()
  const values = new Map<string, { name: string; at: NamedAt[] }>()
  for (const { file, job, faults, place } of read) {
    if (!job) continue
    const at = (paths: readonly string[]) => paths.map((path) => ({ file, line: place(path).line }))
    const needs = jobNeeds(job)
    for (const { name, kind, paths } of needs.connections) {
      const fact = Object.hasOwn(facts, name) ? facts[name] : undefined
      const other = connections.get(name)
      const there = fact?.kind ?? other?.kind
      if (there !== undefined && there !== kind)
        faults.push({
          code: 'connection',
          message: `${name} is ${connectorOf(there).words}${fact ? ' here' : ' elsewhere in these documents'}; this needs ${connectorOf(kind).words}`,
          where: { file, path: paths[0]!, ...place(paths[0]!) },
        })
      else if (!fact?.configured) {
        if (other) other.at = [...other.at, ...at(paths)]
        else connections.set(name, { name, kind, known: fact !== undefined, at: at(paths) })
      }
    }
    for (const { name, columns, paths } of needs.controls) {
      if (controls.has(name)) continue
      const table = tables.get(name) ?? { name, columns: new Set<string>(), at: [] }
      tables.set(name, table)
      for (const column of columns) table.columns.add(column)
      table.at.push(...at(paths))
    }
    for (const { name, paths } of needs.values) {
      if (Object.hasOwn(known, name)) continue
      const value = values.get(name) ?? { name, at: [] }
      values.set(name, value)
      value.at.push(...at(paths))
    }
  }
  return {
    documents: read.map(({ file, text, job, faults }) => {
      const before = job && newest.get(job.name)
      return {
        file,
        name: job?.name ?? null,
        title: job?.title ?? null,
        becomes: !job || before?.text === text ? null : (before?.version ?? 0) + 1,
        faults,
      }
    }),
    missing: {
      connections: [...connections.values()],
      controls: [...tables.values()].map((table) => ({ ...table, columns: [...table.columns].sort() })),
      values: [...values.values()],
    },
  }
}

type Mutable<T> = { -readonly [K in keyof T]: T[K] }

/**
 * Brings documents in with what was missing. All of it is looked through first; with a single mistake nothing is
 * changed. What an interruption leaves undone is missing the next time, so that it can be done again.
 * @throws DocumentError with every mistake, by document and line or by field
 */
export async function bringInJobs(
  engine: Engine,
  ask: {
    readonly documents: readonly GivenDocument[]
    readonly environment: string
    readonly given: Given
    readonly by: string
    /** Environments in which the jobs run from then on; all where it is left out. */
    readonly into?: readonly string[]
  },
): Promise<{ jobs: { name: string; version: number }[] }> {
  const { environment, given, by, into } = ask
  const { documents, missing } = await checkDocuments(engine, ask.documents, environment)
  const faults = documents.flatMap((document) => document.faults)
  const wrong = (path: string, message: string) => faults.push({ code: 'request', message, where: { path } })
  const settings = new Map<string, Record<string, string | number>>()
  for (const { name, kind } of missing.connections) {
    const answer = Object.hasOwn(given.connections, name) ? given.connections[name] : undefined
    if (!answer) wrong(`connections.${name}`, `${name} is missing in ${environment}`)
    else if ('use' in answer) {
      const facts = await connectionFacts(engine, environment)
      const fact = Object.hasOwn(facts, answer.use) ? facts[answer.use] : undefined
      if (!fact?.configured || fact.kind !== kind)
        wrong(
          `connections.${name}`,
          `${answer.use || 'nothing'} is not ${connectorOf(kind).words} with settings in ${environment}`,
        )
    } else {
      const { data, error } = connectorOf(kind).settings.safeParse(answer.settings)
      if (data) settings.set(name, data)
      const refusal = data && (await kindOf(kind).refusal?.(data, engine))
      if (refusal !== undefined) wrong(`connections.${name}`, `${name}: ${refusal}`)
      for (const issue of error?.issues ?? [])
        wrong(
          `connections.${name}.${issue.path.join('.')}`,
          `${name}, ${issue.path.join('.')}: ${issue.message}`,
        )
    }
  }
  const controls = new Set(
    (await engine.db.select({ name: controlTable.name }).from(controlTable)).map(({ name }) => name),
  )
  for (const { name } of missing.controls) {
    const answer = Object.hasOwn(given.controls, name) ? given.controls[name] : undefined
    if (!answer) wrong(`controls.${name}`, `the control table ${name} is missing`)
    else if ('use' in answer) {
      if (!controls.has(answer.use)) wrong(`controls.${name}`, `there is no control table "${answer.use}"`)
    } else if (answer.key.length === 0 || answer.columns.length === 0)
      wrong(`controls.${name}`, `${name} needs columns, and a key that tells its rows apart`)
  }
  for (const { name } of missing.values)
    if (!Object.hasOwn(given.values, name) || given.values[name]!.trim() === '')
      wrong(`values.${name}`, `env.${name} has no value in ${environment}`)
  if (faults.length > 0) throw new DocumentError(faults)

  for (const { name, kind } of missing.connections) {
    const own = settings.get(name)
    const answer = given.connections[name]!
    if (!own || 'use' in answer) continue
    await engine.db
      .insert(connectionTable)
      .values({ name, kind, title: name, cap: null })
      .onConflictDoNothing()
    await saveSettings(engine, name, environment, { settings: own, secret: answer.secret }, by)
  }
  const values = Object.fromEntries(missing.values.map(({ name }) => [name, plainValue(given.values[name]!)]))
  if (missing.values.length > 0)
    await engine.db
      .update(environmentTable)
      .set({ values: sql`${environmentTable.values} || ${JSON.stringify(values)}::jsonb` })
      .where(eq(environmentTable.name, environment))
  for (const { name } of missing.controls) {
    const answer = given.controls[name]!
    if ('use' in answer) continue
    const table = { columns: [...answer.columns], key: [...answer.key], rows: [] }
    await createControl(engine, { name, title: name.replaceAll('_', ' '), table, rules: {}, by })
  }
  const jobs: { name: string; version: number }[] = []
  for (const { text } of ask.documents) {
    const saved = await saveJob(engine, withNames(text, missing, given), { by, message: 'brought in', into })
    jobs.push({ name: saved.job, version: saved.version })
  }
  return { jobs }
}

/** The text with the names of what is used instead of what is missing. */
function withNames(text: string, missing: Missing, given: Given): string {
  const { job } = parseJob(text)
  if (!job) fail('document', 'a document that was read cannot be read')
  const needs = jobNeeds(job)
  let result = text
  const rename = (
    list: readonly { readonly name: string; readonly paths: readonly string[] }[],
    answers: Readonly<Record<string, object>>,
    lacking: ReadonlySet<string>,
  ) => {
    for (const { name, paths } of list) {
      const answer = lacking.has(name) ? answers[name] : undefined
      if (!answer || !('use' in answer)) continue
      for (const path of paths)
        result = setAt(result, path.split('.').map((part) => (/^\d+$/.test(part) ? Number(part) : part)), String(answer.use)) // prettier-ignore
    }
  }
  rename(needs.connections, given.connections, new Set(missing.connections.map(({ name }) => name)))
  rename(needs.controls, given.controls, new Set(missing.controls.map(({ name }) => name)))
  return result
}

/** A value as a person types it: a number and true or false are what they say, the rest is text. */
function plainValue(text: string): Value {
  const plain = text.trim()
  if (plain === 'true' || plain === 'false') return plain === 'true'
  return /^-?(0|[1-9]\d*)(\.\d+)?$/.test(plain) && plain.length <= 15 ? Number(plain) : plain
}
