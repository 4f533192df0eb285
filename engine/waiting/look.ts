import { stat } from 'node:fs/promises'
import { join } from 'node:path'
import { escapeWildcards, hasWildcard, unescapeSegment } from '../../core/store/pattern'
import type { FileFact } from '../../core/plan/types'
import type { SeenFile } from '../../database/schema'
import { openAs } from '../connectors/connections'
import { Lister } from '../connectors/files/store'
import type { Engine } from '../context/engine'
import { transaction } from '../context/transaction'
import { every } from '../queue/every'

/** Milliseconds between two looks at what nobody tells us of. */
const look = 2000
/** Milliseconds that a file must have stayed as it is. */
const still = 3000
/** A file that nobody touched for so long (milliseconds) is whole. */
const old = 60_000
/** Milliseconds after which a folder is read though it says that nothing changed: some that are mounted never say. */
const distrust = 60_000

/**
 * Looks again and again at what loads wait for and what nobody tells us of: datasets that are refreshed by what has no
 * slices, and files. It may run in any number of processes; one at a time looks.
 * @returns ends it
 */
export function watchWaits(engine: Engine, { every: milliseconds = look, files = still } = {}): () => void {
  const folders = new Map<string, FolderLook>()
  let swept = performance.now()
  return every(engine, 'looking at what loads wait for', milliseconds, async () => {
    await giveUp(engine)
    if (performance.now() - swept > sweep) {
      swept = performance.now()
      await leaveWaits(engine)
    }
    if (!(await anyWaits(engine))) return
    await refreshed(engine)
    await checked(engine)
    await filesCame(engine, folders, files)
  })
}

interface FolderLook {
  /** Modification time of the folder; undefined where it could not be read. */
  readonly changed: number | undefined
  readonly at: number
}

/** Loads that have waited as long as their part lets them: they are let go, and fail. */
async function giveUp(engine: Engine): Promise<void> {
  const due = `released_at is null and gives_up_at is not null and gives_up_at <= (select mattock.clock())`
  const { rowCount } = await engine.db.$client.query(`select 1 from mattock.wait_set where ${due} limit 1`)
  if (!rowCount) return
  await transaction(engine.db.$client, async (client) => {
    await client.query('select mattock.lock_dispatch()')
    const { rows } = await client.query<{ id: string }>(
      `update mattock.wait_set set gave_up = true, released_at = clock_timestamp() where ${due} returning id`,
    )
    const sets = rows.map(({ id }) => id)
    await client.query(
      'update mattock.wait_need set left_at = clock_timestamp() where set_id = any ($1) and met_at is null',
      [sets],
    )
    await client.query('select mattock.release_sets($1)', [sets])
  })
}

/** Milliseconds between two looks for what nobody waits for any more. */
const sweep = 60_000

/** What loads waited for that were let go, set aside or stopped is asked about no longer. */
export async function leaveWaits(engine: Engine): Promise<void> {
  await engine.db.$client.query(
    `with idle as (
       select s.id from mattock.wait_set s where s.released_at is null
         and not exists (select 1 from mattock.load l where l.wait_set = s.id and l.state in ('waiting', 'held') and l.lane < 0)),
     sets as (update mattock.wait_set s set released_at = clock_timestamp() from idle where s.id = idle.id)
     update mattock.wait_need n set left_at = clock_timestamp() from idle where n.set_id = idle.id and n.met_at is null`,
  )
}

async function anyWaits(engine: Engine): Promise<boolean> {
  const { rowCount } = await engine.db.$client.query(`select 1 from mattock.wait_need where met_at is null and left_at is null and kind in ('refresh', 'files', 'check') limit 1`) // prettier-ignore
  return rowCount! > 0
}

/** Datasets that were refreshed since loads wait for it. */
async function refreshed(engine: Engine): Promise<void> {
  await engine.db.$client.query(
    `with held as (select mattock.lock_dispatch()),
     met as (
       select n.set_id, n.position from mattock.wait_need n, held where n.kind = 'refresh' and n.met_at is null and n.left_at is null and exists (
         select 1 from mattock.touch t where t.environment = n.environment and t.connection = split_part(n.dataset, '.', 1)
           and t.locator = substr(n.dataset, strpos(n.dataset, '.') + 1) and t.direction = 'write' and t.at >= n.after))
     select mattock.meet_needs(array_agg(set_id), array_agg(position)) from met having count(*) > 0`,
  )
}

/** Steps of other jobs that are done for all rows of a slice: of each row by the newest load of it, whether it goes on or not. */
async function checked(engine: Engine): Promise<void> {
  await engine.db.$client.query(
    `with held as (select mattock.lock_dispatch()),
     asked as (
       select n.environment, n.job, n.part, n.step, n.slice_from, n.slice_to, array_agg(n.set_id) as sets, array_agg(n.position) as positions
       from mattock.wait_need n, held where n.kind = 'check' and n.met_at is null and n.left_at is null and n.part >= 0 group by 1, 2, 3, 4, 5, 6),
     loads as (
       select a.environment, a.job, a.part, a.step, a.slice_from, a.slice_to, l.row_key, max(l.id) as id from asked a cross join lateral (
         select c.load_id as id from mattock.coverage c where c.environment = a.environment and c.job = a.job and c.slice_from = a.slice_from and c.slice_to = a.slice_to
         union select w.id from mattock.run r join mattock.load w on w.run_id = r.id
           where r.environment = a.environment and r.job = a.job and r.state in ('running', 'held', 'waiting') and w.slice_from = a.slice_from and w.slice_to = a.slice_to) known
       join mattock.load l on l.id = known.id and l.part = a.part group by 1, 2, 3, 4, 5, 6, 7),
     met as (
       select environment, job, part, step, slice_from, slice_to from loads l group by 1, 2, 3, 4, 5, 6
       having bool_and(exists (select 1 from mattock.load_step s where s.load_id = l.id and s.step = l.step and s.state = 'done')))
     select mattock.meet_needs(array_agg(u.id), array_agg(u.place)) from met
     join asked a using (environment, job, part, step, slice_from, slice_to) cross join lateral unnest(a.sets, a.positions) u (id, place) having count(*) > 0`,
  )
} // prettier-ignore

interface FileWait {
  readonly set: string
  readonly position: number
  readonly pattern: string
  readonly marker: string | null
  readonly seen: readonly SeenFile[] | null
}

/** Files that came, and no longer grow. */
async function filesCame(engine: Engine, folders: Map<string, FolderLook>, stillFor: number): Promise<void> {
  // the folders first: where nothing changed, a hundred thousand loads that wait for files there cost one question
  const { rows } = await engine.db.$client.query<{ environment: string; store: string; folder: string; unsettled: boolean; newest: string }>(
    `select environment, store, regexp_replace(pattern, '[^/]*$', '') as folder, bool_or(seen is not null) as unsettled, max(set_id)::text as newest
     from mattock.wait_need where kind = 'files' and met_at is null and left_at is null group by 1, 2, 3`,
  )
  const kept = new Set<string>()
  for (const { environment, store, folder, unsettled, newest } of rows) {
    const key = JSON.stringify([environment, store, folder, newest])
    kept.add(key)
    try {
      const { store: opened } = await openAs(engine, 'files', store, environment)
      const changed = hasWildcard(folder) ? undefined : await modified(join(opened.root, unescapeSegment(folder)))
      const before = folders.get(key)
      if (before && !unsettled && changed !== undefined && before.changed === changed && Date.now() - before.at < distrust) continue
      await lookInto(engine, new Lister(opened), { environment, store, folder }, stillFor)
      folders.set(key, { changed, at: Date.now() })
    } catch (error) {
      engine.log.warn({ error, store, folder }, 'a folder that loads wait for could not be read; tried again')
    }
  }
  for (const key of folders.keys()) if (!kept.has(key)) folders.delete(key)
} // prettier-ignore

const modified = async (folder: string): Promise<number | undefined> =>
  await stat(folder).then(
    ({ mtimeMs }) => mtimeMs,
    () => undefined,
  )

/** Looks at the files that loads wait for in one folder, and lets those go whose files are whole. */
async function lookInto(engine: Engine, lister: Lister, at: { environment: string; store: string; folder: string }, stillFor: number): Promise<void> {
  const { rows: waits } = await engine.db.$client.query<FileWait>(
    `select set_id::text as set, position, pattern, marker, seen from mattock.wait_need
     where kind = 'files' and met_at is null and left_at is null and environment = $1 and store = $2 and regexp_replace(pattern, '[^/]*$', '') = $3`,
    [at.environment, at.store, at.folder],
  )
  const found = await lister.findHere([...new Set(waits.map(({ pattern }) => pattern))], 16)
  const markers = [...new Set(waits.flatMap(({ pattern, marker }) => (marker === null ? [] : (found.get(pattern) ?? []).map(({ path }) => escapeWildcards(path) + escapeWildcards(marker)))))]
  const marked = markers.length === 0 ? new Map<string, FileFact[]>() : await lister.findHere(markers, 16)
  const now = Date.now()
  const whole: FileWait[] = []
  const growing: { set: string; position: number; seen: SeenFile[] | null }[] = []
  for (const wait of waits) {
    const files = found.get(wait.pattern) ?? []
    const { marker } = wait
    const seen = files.map(({ path, size, modified: changed }) => {
      const was = wait.seen?.find((one) => one.path === path && one.size === size && one.modified === changed)
      return { path, size, modified: changed, at: was?.at ?? now }
    })
    const isWhole = (file: (typeof seen)[number]) =>
      marker === null ? now - file.at >= stillFor || now - Date.parse(file.modified) >= old : (marked.get(escapeWildcards(file.path) + escapeWildcards(marker))?.length ?? 0) > 0
    if (seen.length > 0 && seen.every(isWhole)) whole.push(wait)
    else if (seen.length > 0 || wait.seen !== null) growing.push({ set: wait.set, position: wait.position, seen: seen.length > 0 ? seen : null })
  }
  if (growing.length > 0)
    await engine.db.$client.query(
      `update mattock.wait_need n set seen = g.seen from jsonb_to_recordset($1::jsonb) g(set bigint, position integer, seen jsonb)
       where n.set_id = g.set and n.position = g.position and n.met_at is null`,
      [JSON.stringify(growing)],
    )
  if (whole.length > 0)
    await engine.db.$client.query(
      `with held as (select mattock.lock_dispatch()) select mattock.meet_needs($1::bigint[], $2::integer[]) from held`,
      [whole.map(({ set }) => set), whole.map(({ position }) => position)],
    )
} // prettier-ignore
