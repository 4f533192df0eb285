import { groupBy } from '../../core/group'
import { some } from '../../core/text/someOf'
import type { Engine } from '../context/engine'
import type { Decision } from './decision'

interface Stuck {
  readonly job: string
  readonly title: string
  readonly run: number
  readonly runs: readonly number[]
  /** Sets of loads that wait for the same, and how many loads each has: a set may wait for several things. */
  readonly sets: readonly number[]
  readonly setLoads: readonly number[]
  readonly since: string
  readonly kind: 'slice' | 'refresh' | 'files' | 'run' | 'check'
  readonly other: string | null
  readonly otherTitle: string | null
  readonly label: string | null
  readonly what: string
  readonly failed: number
  readonly failedIn: number | null
  readonly underWay: number
}

/** Loads wait so long (minutes) before it is a matter, where nothing says that it never comes. */
const patience = 30

/**
 * Loads that wait for what failed, or for what nobody is at, grouped by the thing: what others are at comes by itself, and
 * is said on their run.
 */
export async function stuckLoads(engine: Engine, environment: string): Promise<Decision[]> {
  const { rows } = await engine.db.$client.query<Stuck>(
    `with waiting as (
       select r.job, r.title, r.id as run, s.id as set_id, s.since + r.clock_offset * interval '1 ms' as since, (select count(*)::int from mattock.load l where l.wait_set = s.id and l.state = 'waiting' and l.lane < 0) as loads
       from mattock.wait_set s join mattock.run r on r.id = s.run_id
       where r.environment = $1 and r.state in ('running', 'held') and s.released_at is null),
     things as (
       select w.job, max(w.title) as title, max(w.run) as run, array_agg(distinct w.run) as runs, array_agg(w.set_id::float8) as sets, array_agg(w.loads) as "setLoads", min(w.since) as since, n.kind, n.job as other, n.slice_from, n.slice_to, max(n.slice_label) as label,
         max(coalesce(n.dataset, n.pattern, n.step || ' of ' || n.job || ' for ' || n.slice_label, 'run ' || n.run_needed)) as what
       from waiting w join mattock.wait_need n on n.set_id = w.set_id and n.met_at is null where w.loads > 0
       group by w.job, n.kind, n.job, n.slice_from, n.slice_to, coalesce(n.dataset, case when n.kind = 'files' then n.store end, n.step, n.run_needed::text)
       order by min(w.since) limit 200)
     select t.*, coalesce(o.title, t.other) as "otherTitle", coalesce(c.failed, 0) as failed, c.run as "failedIn", coalesce(u.loads, 0) as "underWay" from things t left join mattock.job o on o.name = t.other
     left join lateral (
       select count(*)::int as failed, max(run_id) as run from mattock.coverage c
       where c.environment = $1 and c.job = t.other and c.slice_from = t.slice_from and c.slice_to = t.slice_to and c.state in ('failed', 'stopped')) c on true
     left join lateral (
       select count(*)::int as loads from mattock.run r join mattock.load l on l.run_id = r.id
       where r.environment = $1 and r.job = t.other and r.state in ('running', 'held', 'waiting') and l.state in ('waiting', 'running', 'held') and l.slice_from = t.slice_from and l.slice_to = t.slice_to) u on true
     where coalesce(u.loads, 0) = 0 and (coalesce(c.failed, 0) > 0 or t.since < mattock.clock() - make_interval(mins => ${patience}))`,
    [environment],
  )
  return [...groupBy(rows, groupOf).values()].map(stuckDecision)
} // prettier-ignore

/** Things that are grouped by their job, whichever slices they are of. */
const isOfSlices = (kind: Stuck['kind']): boolean => kind === 'slice'

/** Slices of one job for which another waits are one matter, those that failed apart from those that nobody is at. */
const groupOf = ({ job, kind, other, what, label, failed }: Stuck): string =>
  `stuck ${job} ${kind} ${isOfSlices(kind) ? `${other} ${failed > 0 ? 'failed' : 'nobody'}` : `${other ?? what} ${label ?? ''}`}`

/** Runs that a text names. */
const mostNamed = 3

function stuckDecision(things: readonly Stuck[]): Decision {
  const [one] = things as [Stuck]
  const loads = [...new Map(things.flatMap(({ sets, setLoads }) => sets.map((set, at) => [set, setLoads[at]!] as const))).values()].reduce((sum, n) => sum + n, 0)
  const runs = [...new Set(things.flatMap(({ runs: own }) => own))].sort((a, b) => b - a)
  const failed = things.reduce((sum, { failed: own }) => sum + own, 0)
  const failedIn = [...new Set(things.flatMap(({ failedIn: run }) => run ?? []))].sort((a, b) => a - b)
  const slices = [...things].sort((a, b) => (a.label ?? '').localeCompare(b.label ?? ''))
  const what =
    !isOfSlices(one.kind)
      ? one.what
      : things.length === 1
        ? `${one.label} of ${one.otherTitle}`
        : `${things.length.toLocaleString('en')} slices of ${one.otherTitle}, ${slices[0]!.label} to ${slices.at(-1)!.label}`
  return {
    kind: 'stuck',
    key: groupOf(one),
    title: `${one.title}: ${loads === 1 ? 'a load waits' : `${loads.toLocaleString('en')} loads wait`} for ${what}`,
    text:
      failed > 0
        ? `${failed === 1 ? 'a load' : `${failed.toLocaleString('en')} loads`} of ${things.length === 1 ? 'it' : 'them'} failed in run${failedIn.length === 1 ? '' : 's'} ${some(failedIn.map(String), mostNamed)}: rerun ${failedIn.length === 1 ? 'that, or set it' : 'those, or set them'} aside; or let these go without ${things.length === 1 ? 'it' : 'them'}`
        : 'nobody is at it: it may never come',
    count: loads,
    run: runs[0]!,
    runs,
    job: one.job,
    connection: null,
    latest: one.since,
  }
} // prettier-ignore
