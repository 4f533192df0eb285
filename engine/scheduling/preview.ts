import { Temporal } from 'temporal-polyfill'
import {
  startFollows,
  startKind,
  startText,
  startTimes,
  startZone,
  type StartKind,
} from '../../core/job/starts'
import type { Job } from '../../core/job/document'
import { parseJob } from '../../core/job/parse'
import type { Engine } from '../context/engine'
import { readBy } from './happened'
import { clockNow } from '../context/clock'
import { newestVersions, readableJob } from '../jobs/versions'

export interface StartPreview {
  readonly id: string
  readonly kind: StartKind
  readonly text: string
  readonly zone: string
  readonly next: readonly { readonly at: string; readonly slice: string | null; readonly change: 'forward' | 'back' | null }[]
  readonly waitsFor: readonly string[]
  readonly unknown: readonly string[]
  readonly circle: readonly string[] | null
} // prettier-ignore

/** Times of each start that are shown. */
const shown = 20
const far = 10 * 366 * 86_400_000

/** The starts of a text in words, with the next times of each; none where the text cannot be read. */
export async function previewStarts(engine: Engine, text: string, environment: string): Promise<StartPreview[]> {
  const { job } = parseJob(text)
  if (!job || job.starts.length === 0) return []
  const [now, others, reads] = await Promise.all([clockNow(engine), jobsThatFollow(engine), readBy(engine.db.$client, environment, job.name)])
  others.edges.set(job.name, followedBy(job))
  return job.starts.map((start) => {
    const zone = startZone(start, job)
    const follows = startFollows(start, reads)
    const jobs = follows?.jobs ?? []
    return {
      id: start.id,
      kind: startKind(start),
      text: startText(start, job),
      zone,
      next: withChanges(startTimes(start, job, now, now + far, shown), zone, now),
      waitsFor: [...jobs, ...(follows?.datasets ?? [])],
      unknown: jobs.filter((name) => !others.known.has(name)),
      circle: jobs.flatMap((name) => wayBack(job.name, name, others.edges) ?? [])[0] ?? null,
    }
  })
} // prettier-ignore

/** Marks the times between which the clock of a zone was changed. */
function withChanges(times: ReturnType<typeof startTimes>, zone: string, now: number): StartPreview['next'] {
  const offset = (at: number) =>
    Temporal.Instant.fromEpochMilliseconds(at).toZonedDateTimeISO(zone).offsetNanoseconds
  return times.map(({ at, slice }, i) => {
    const change = offset(at) - offset(i > 0 ? times[i - 1]!.at : now)
    return {
      at: new Date(at).toISOString(),
      slice: slice?.label ?? null,
      change: change === 0 ? null : change > 0 ? ('forward' as const) : ('back' as const),
    }
  })
}

/** For each job, those whose end begins it. */
async function jobsThatFollow(engine: Engine) {
  const edges = new Map<string, string[]>()
  for (const version of await newestVersions(engine)) {
    const job = readableJob(version)
    if (job) edges.set(job.name, followedBy(job))
  }
  const { rows } = await engine.db.$client.query<{ name: string }>('select name from mattock.job')
  return { edges, known: new Set(rows.map(({ name }) => name)) }
}

const followedBy = (job: Job): string[] => job.starts.flatMap((start) => startFollows(start, [])?.jobs ?? [])

/** The jobs through which one that begins after another would begin itself, the shortest way; undefined where it would not. */
function wayBack(own: string, from: string, edges: ReadonlyMap<string, readonly string[]>): string[][] | undefined {
  const before = new Map<string, string | undefined>([[from, undefined]])
  for (const [name] of before) {
    if (name === own) {
      const way: string[] = []
      for (let at: string | undefined = name; at !== undefined; at = before.get(at)) way.push(at)
      return [[...way, own]]
    }
    for (const next of edges.get(name) ?? []) if (!before.has(next)) before.set(next, name)
  }
  return undefined
} // prettier-ignore
