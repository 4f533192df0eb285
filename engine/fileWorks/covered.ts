import { stat } from 'node:fs/promises'
import type { FileRecord } from '../../database/schema'
import { contentOfTaken, type Content } from './content'
import { inBatches } from '../context/inBatches'
import type { FilesAtWork } from './definition'
import type { TakenFile } from './taken'
import { width } from './targets'

/** A file that may be taken away, or why it may not. */
export interface Judged {
  readonly file: TakenFile
  readonly content: Content
  /** Why it stays; undefined where all that must have covered it have. */
  readonly why?: string
}

/**
 * Which files may be taken away: those whose very content each of the named steps loaded, or copied whole, in this run or
 * one that it repeats.
 */
export async function judgeCovered(work: FilesAtWork): Promise<Judged[]> {
  const { context, files, store, spec } = work
  // a try has no record of a run to go by, and takes nothing away
  const steps = context.aside ? [] : (spec.covered_by ?? [])
  const covered = await coveredBy(work, steps)
  const judged: Judged[] = []
  await inBatches(files, width, async (file) => {
    const content = await contentOfTaken(file, context.signal).catch(async (error: Error) => {
      // another may have taken it away since it was listed
      if (await stat(file.full).then(() => true, () => false)) throw error // prettier-ignore
    })
    if (!content) return
    const reasons = steps.flatMap((step) => {
      const prints = covered.get(`${step}\n${store.name}\n${file.path}`)
      if (!prints) return [`not covered by ${step}`]
      return prints.has(content.sha256) ? [] : [`changed since ${step} had it`]
    })
    judged.push({ file, content, ...(reasons.length > 0 ? { why: reasons.join(', ') } : {}) })
  })
  return judged.sort((a, b) => (a.file.path < b.file.path ? -1 : 1))
}

/** Checksums that steps had of files, by step, store and path. */
async function coveredBy(
  { context: { engine, run }, store }: FilesAtWork,
  steps: readonly string[],
): Promise<Map<string, Set<string>>> {
  const { rows } = await engine.db.$client.query<{ step: string; path: string; sha256: string }>(
    `with recursive runs as (
       select id, rerun_of from mattock.run where id = $1
       union select r.id, r.rerun_of from mattock.run r join runs on r.id = runs.rerun_of)
     select s.step, f ->> 'path' as path, f ->> 'sha256' as sha256
     from runs join mattock.load l on l.run_id = runs.id join mattock.load_step s on s.load_id = l.id
       cross join lateral jsonb_array_elements(s.files) f
     where s.step = any ($2) and s.state in ('done', 'held') and f ->> 'store' = $3
       and coalesce(f ->> 'did', 'read') in ('read', 'copied', 'packed', 'same')`,
    [run, steps, store.name],
  )
  const covered = new Map<string, Set<string>>()
  for (const { step, path, sha256 } of rows) {
    const key = `${step}\n${store.name}\n${path}`
    const prints = covered.get(key)
    if (prints) prints.add(sha256)
    else covered.set(key, new Set([sha256]))
  }
  return covered
}

/** What is kept of a file that is about to be taken away. */
export type Intent = Pick<FileRecord, 'path' | 'size' | 'modified' | 'sha256' | 'at'>

/**
 * Keeps what will be taken away, before anything of it is: a worker that goes on for one that ended finds only what is
 * left, and knows by this what became of the rest.
 */
export async function keepIntents(
  { context: { engine, load, step } }: FilesAtWork,
  intents: readonly Intent[],
): Promise<void> {
  await engine.db.$client.query(
    `insert into mattock.take_away (load_id, step, files) values ($1, $2, $3)
     on conflict (load_id, step) do update set files = excluded.files`,
    [load, step, JSON.stringify(intents)],
  )
}

/** What an attempt before this one meant to take away, of this load or of the one that it repeats. */
export async function earlierIntents({
  context: { engine, load, step, repeats, attempt, aside },
}: FilesAtWork): Promise<{ own: Intent[]; repeated: Intent[] }> {
  if (aside || (attempt === 1 && repeats === undefined)) return { own: [], repeated: [] }
  const { rows } = await engine.db.$client.query<{ own: boolean; files: Intent[] }>(
    'select load_id = $1 as own, files from mattock.take_away where load_id in ($1, $2) and step = $3',
    [load, repeats ?? load, step],
  )
  const of = (own: boolean) => rows.flatMap((row) => (row.own === own ? row.files : []))
  return { own: of(true), repeated: of(false) }
}

/** Has an attempt before this one taken away what it found? Then it is well that nothing is left. */
export async function hasTaken(work: FilesAtWork): Promise<boolean> {
  const { own, repeated } = await earlierIntents(work)
  return own.length + repeated.length > 0
}
