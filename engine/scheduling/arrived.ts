import { createHash } from 'node:crypto'
import { stat } from 'node:fs/promises'
import { basename, join } from 'node:path'
import { wasBefore, runsFor, type ArrivedItem } from '../../core/arrivals/arrived'
import { startOf } from '../../core/job/starts'
import { escapeWildcards, hasWildcard, unescapeSegment } from '../../core/store/pattern'
import { newestClosed } from '../../core/slice/slices'
import { expectsFiles } from '../../core/job/expectsFiles'
import { arrivalsOf, type Arrival } from '../arrivals/read'
import { openAs } from '../connectors/connections'
import { Lister } from '../connectors/files/store'
import type { Engine } from '../context/engine'
import { transaction } from '../context/transaction'
import { documentOf } from '../jobs/versions'
import { every } from '../queue/every'
import { apartFromOthers, keepCame, type StateRow } from './due'
import { clockNow } from '../context/clock'
import { pauseAt, pausesSince } from './pauses'

export interface ArrivedOptions {
  /** Milliseconds between two looks. */
  readonly every?: number
  /** Milliseconds that a file must have stayed as it is. */
  readonly still?: number
}

/** A file that nobody touched for so long (milliseconds) is whole. */
const old = 60_000
/** Milliseconds after which folders are read though they say that nothing changed: some that are mounted never say. */
const distrust = 60_000
/** A look that took long is followed by a rest so many times as long: watching costs little. */
const rest = 10
/** Files that are looked at a second time within one look, and milliseconds between. */
const twice = { most: 200, after: 400 }
/** Slices back for whose files is looked, and days. */
const back = { slices: 100, days: 14 }

interface Folders {
  /** Where the files lie, with the times at which the folders were changed; undefined where that cannot be told. */
  readonly changed: ReadonlyMap<string, number | undefined>
  readonly at: number
  readonly took: number
  /** Something grows still, or is waited for longer. */
  readonly unsettled: boolean
}

/**
 * Begins what is to begin when files arrive. It may run in any number of processes: one looks at a start at a time, and
 * what was begun for is a row.
 * @returns ends it
 */
export function watchArrived(engine: Engine, { every: milliseconds = 2000, still = 3000 }: ArrivedOptions = {}): () => void {
  const known = new Map<string, Folders>()
  return every(engine, 'looking for files that arrive', milliseconds, async () => {
    const { rows } = await engine.db.$client.query<StateRow & { version: number }>(
      `select s.environment, s.job, s.start, s.kind, s.since, s.version_id as version, v.text from mattock.start_state s join mattock.job_version v on v.id = s.version_id where s.kind = 'arrived'`,
    )
    const keys = new Set<string>()
    for (const row of rows) {
      const key = JSON.stringify([row.environment, row.job, row.start, row.version])
      keys.add(key)
      const before = known.get(key)
      if (before && !(await somethingMoved(before))) continue
      const begun = performance.now()
      // as they are before the look: what comes while it lists them is found by the next one
      const times = await changesOf([...(before?.changed.keys() ?? [])])
      try {
        const { folders, unsettled } = await lookAtArrived(engine, row, still)
        known.set(key, { changed: new Map(folders.map((folder) => [folder, times.get(folder)])), at: Date.now(), took: usually(before?.took, performance.now() - begun), unsettled })
      } catch (error) {
        engine.log.warn({ error, job: row.job, start: row.start }, 'files that a start waits for could not be looked for; tried again')
        known.set(key, { changed: new Map(), at: Date.now(), took: 1000, unsettled: true })
      }
    }
    for (const key of known.keys()) if (!keys.has(key)) known.delete(key)
  })
} // prettier-ignore

/** How long a look takes: one that took much longer than the one before, as beside much else, says little of the next. */
const usually = (before: number | undefined, took: number): number =>
  before === undefined ? took : Math.min(took, 2 * before)

async function somethingMoved({ changed, at, took, unsettled }: Folders): Promise<boolean> {
  const gone = Date.now() - at
  if (gone < took * rest) return false
  if (unsettled || gone > distrust) return true
  const now = await changesOf([...changed.keys()])
  return [...now].some(([folder, time]) => time === undefined || time !== changed.get(folder))
}

const changesOf = async (folders: readonly string[]): Promise<Map<string, number | undefined>> =>
  new Map(
    await Promise.all(
      folders.map(
        async (folder) =>
          [
            folder,
            await stat(folder).then(
              ({ mtimeMs }) => mtimeMs,
              () => undefined,
            ),
          ] as const,
      ),
    ),
  )

/** Looks once at a start, and keeps what it begins. */
export async function lookAtArrived(engine: Engine, row: StateRow, still: number): Promise<{ folders: string[]; unsettled: boolean }> {
  const job = documentOf(row)
  const start = job.starts.find(({ id }) => id === row.start)
  const spec = job.slices
  if (!start || !spec || !expectsFiles(job)) return { folders: [], unsettled: false }
  const given = startOf('arrived', start)
  const clock = await clockNow(engine)
  const newest = newestClosed(spec, new Date(clock).toISOString())
  if (!newest) return { folders: [], unsettled: false }
  const length = Date.parse(newest.to) - Date.parse(newest.from)
  const from = new Date(Date.parse(newest.to) - Math.min(back.days * 86_400_000, back.slices * length)).toISOString()
  const { all, folders } = await arrivalsOf(engine, job, { environment: row.environment, from, until: newest.to }, clock)
  const roots = new Map<string, string>()
  for (const store of folders.keys()) roots.set(store, (await openAs(engine, 'files', store, row.environment)).store.root)
  const quietOnes = given.marker === undefined ? await untouched(all, roots, still) : new Set<string>()
  const markers = given.marker === undefined ? undefined : await markersOf(engine, row.environment, all, given.marker)
  let unsettled = false
  await transaction(engine.db.$client, async (client) => {
    // of several servers one looks at a start at a time
    const { rows: mine } = await client.query<{ since: string }>(
      `select since from mattock.start_state where environment = $1 and job = $2 and start = $3 for update skip locked`,
      [row.environment, row.job, row.start],
    )
    const [state] = mine
    if (!state) return void (unsettled = true)
    const { rows: clocks } = await client.query<{ now: string }>('select mattock.clock() as now')
    const now = Date.parse(clocks[0]!.now)
    await apartFromOthers(engine, client, row, now, async () => {
      const seen = await keepSeen(client, row, all, now)
      const items = all.map((one): ArrivedItem => {
        const { since, taken } = seen.get(itemOf(one)) ?? { since: now, taken: false }
        const isWhole = ({ path, modified }: Arrival['files'][number]) =>
          markers ? markers.has(`${one.store}\n${path}`) : now - since >= still || now - Date.parse(modified) >= old || quietOnes.has(`${one.store}\n${path}`)
        return { part: one.part, row: one.row, slice: one.slice, state: one.state, names: one.files.map(({ path }) => basename(path)), whole: one.files.every(isWhole), since, old: one.files.every(({ modified }) => wasBefore(Date.parse(modified), Date.parse(state.since))), taken }
      })
      const waiting = items.filter((item) => (item.state === 'here' || item.state === 'again') && !item.taken && !item.old)
      const runs = runsFor(given, items, await begunSlices(client, row), now)
      const begun = new Set(runs.flatMap((run) => run.items))
      unsettled = waiting.some((item) => !begun.has(item) && (!item.whole || given.wait_for === 'quiet'))
      if (runs.length === 0) return
      const pause = pauseAt(await pausesSince(client, row.environment, new Date(now).toISOString()), row.job, row.start, now)
      await keepCame(client, row, start, runs.map(({ key, cause, slices, picks }) => ({ key: key.length > 200 ? `files ${createHash('sha256').update(key).digest('hex')}` : key, at: now, cause, slices, picks, state: pause ? ('paused' as const) : ('due' as const), why: pause && `paused by ${pause.by}: ${pause.why}` })))
      await client.query(
        `update mattock.arrival_seen set taken_at = clock_timestamp() where environment = $1 and job = $2 and start = $3 and item = any ($4)`,
        [row.environment, row.job, row.start, [...begun].map(itemOf)],
      )
      if (pause) await client.query('update mattock.start_state set next_at = $4 where environment = $1 and job = $2 and start = $3', [row.environment, row.job, row.start, pause.until])
    })
  })
  return { folders: watched(folders, roots), unsettled: unsettled || given.latest !== undefined }
} // prettier-ignore

/**
 * Of files that came lately those that nobody has touched for some seconds, by two looks at each: so that one need not wait
 * for the next look at its folder, which may be long.
 */
async function untouched(all: readonly Arrival[], roots: ReadonlyMap<string, string>, still: number): Promise<Set<string>> {
  const lately = all
    .filter(({ state }) => state === 'here' || state === 'again')
    .flatMap(({ store, files }) => files.map((file) => ({ store, ...file })))
    .filter(({ modified }) => Date.now() - Date.parse(modified) < old && Date.now() - Date.parse(modified) >= still)
    .slice(0, twice.most)
  if (lately.length === 0) return new Set()
  await new Promise((resolve) => setTimeout(resolve, twice.after))
  const same = await Promise.all(
    lately.map(({ store, path, size, modified }) =>
      stat(join(roots.get(store)!, path)).then(
        (now) => now.size === size && now.mtime.toISOString() === new Date(modified).toISOString(),
        () => false,
      ),
    ),
  )
  return new Set(lately.filter((_, at) => same[at]).map(({ store, path }) => `${store}\n${path}`))
} // prettier-ignore

/** Real paths of folders; of those that a wildcard names nothing is told by one time of change. */
const watched = (folders: ReadonlyMap<string, ReadonlySet<string>>, roots: ReadonlyMap<string, string>): string[] =>
  [...folders].flatMap(([store, some]) =>
    [...some].map((folder) => (hasWildcard(folder) ? join(roots.get(store)!, '\u0000') : join(roots.get(store)!, unescapeSegment(folder)))),
  ) // prettier-ignore

const itemOf = ({ part, row, slice }: Pick<ArrivedItem, 'part' | 'row' | 'slice'>): string =>
  JSON.stringify([part, row, slice.from, slice.to])

const filesText = ({ files }: Arrival): string =>
  JSON.stringify(files.map(({ path, size, modified }) => [path, size, modified]))

/** Notes the files as they are now; since when they are as they are, and whether the start began for them so. */
async function keepSeen(client: Parameters<typeof keepCame>[0], { environment, job, start }: StateRow, all: readonly Arrival[], now: number): Promise<Map<string, { since: number; taken: boolean }>> {
  const here = all.filter(({ files }) => files.length > 0)
  const { rows } = await client.query<{ item: string; since: string; taken: boolean }>(
    `with now as (select * from jsonb_to_recordset($4::jsonb) n(item text, files text)),
     kept as (
       insert into mattock.arrival_seen as s (environment, job, start, item, files, since) select $1, $2, $3, item, files, $5::timestamptz from now
       on conflict (environment, job, start, item) do update set files = excluded.files, since = excluded.since, taken_at = null where s.files <> excluded.files
       returning item, since, taken_at)
     select n.item, coalesce(k.since, s.since) as since, case when k.item is null then s.taken_at is not null else false end as taken
     from now n left join kept k using (item) left join mattock.arrival_seen s on s.environment = $1 and s.job = $2 and s.start = $3 and s.item = n.item`,
    [environment, job, start, JSON.stringify(here.map((one) => ({ item: itemOf(one), files: filesText(one) }))), new Date(now).toISOString()],
  )
  // what is not looked for any more is forgotten
  await client.query(`delete from mattock.arrival_seen where environment = $1 and job = $2 and start = $3 and since < mattock.clock() - interval '60 days' and item <> all ($4)`, [
    environment, job, start, here.map(itemOf),
  ])
  return new Map(rows.map(({ item, since, taken }) => [item, { since: Date.parse(since), taken }]))
} // prettier-ignore

/** Beginnings of the slices that a start began for as a whole. */
async function begunSlices(client: Parameters<typeof keepCame>[0], { environment, job, start }: StateRow): Promise<Set<string>> {
  const { rows } = await client.query<{ key: string }>(
    `select substr(key, 5) as key from mattock.occasion where environment = $1 and job = $2 and start = $3 and key like 'all %'`,
    [environment, job, start],
  )
  return new Set(rows.map(({ key }) => key))
} // prettier-ignore

/** Files beside which their marker lies. */
async function markersOf(engine: Engine, environment: string, all: readonly Arrival[], marker: string): Promise<Set<string>> {
  const found = new Set<string>()
  for (const store of new Set(all.map((one) => one.store))) {
    const paths = all.filter((one) => one.store === store).flatMap(({ files }) => files.map(({ path }) => path))
    const lister = new Lister((await openAs(engine, 'files', store, environment)).store)
    const patterns = paths.map((path) => escapeWildcards(path) + escapeWildcards(marker))
    const there = await lister.findHere(patterns, 16)
    for (const [i, path] of paths.entries()) if ((there.get(patterns[i]!)?.length ?? 0) > 0) found.add(`${store}\n${path}`)
  }
  return found
} // prettier-ignore
