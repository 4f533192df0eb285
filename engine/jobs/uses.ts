import { jobNeeds } from '../../core/job/needs'
import type { Engine } from '../context/engine'
import { documentOf, readVersion, versionsIn } from './versions'

/** A place that a job read or wrote lately. */
export interface UsedPlace {
  readonly direction: 'read' | 'write'
  readonly connection: string
  /** `schema.table`, the start of the files' paths, or the path of a service. */
  readonly place: string
  /** The catalog's dataset, where it knows one. */
  readonly dataset: { readonly id: number; readonly name: string } | null
  readonly at: string
  readonly run: number
  /** Rows, over the last loads. */
  readonly rows: number
  /** Other jobs that write what this one reads, or read what it writes. */
  readonly jobs: readonly string[]
}

export interface JobUses {
  readonly connections: readonly { readonly name: string; readonly kind: string }[]
  /** Control tables, with the other jobs that loop over them. */
  readonly controls: readonly { readonly name: string; readonly jobs: readonly string[] }[]
  readonly values: readonly string[]
  readonly places: readonly UsedPlace[]
}

/** Touches that are looked at, the newest first: those of the last runs. */
const looked = 5000

/** What a job names, what it lately read and wrote, and which other jobs meet it there. */
export async function jobUses(engine: Engine, name: string, environment: string): Promise<JobUses> {
  const needs = jobNeeds(documentOf(await readVersion(engine, name)))
  const others = new Map<string, string[]>()
  for (const version of await versionsIn(engine, environment)) {
    if (version.job === name) continue
    for (const control of jobNeeds(documentOf(version)).controls)
      others.set(control.name, [...(others.get(control.name) ?? []), version.job])
  }
  const { rows } = await engine.db.$client.query<{
    direction: 'read' | 'write'
    connection: string
    place: string
    id: number | null
    name: string | null
    at: string
    run: number
    rows: number
    jobs: string[]
  }>(
    `with touched as (
       select * from mattock.touch where job = $1 and environment = $2 order by at desc limit ${looked}),
     known as (
       select t.direction, t.connection, coalesce(d.start, t.locator) as place, d.id, d.name, d.kind,
         max(t.at) as at, max(t.run_id) as run, sum(t.rows)::float8 as rows
       from touched t
       left join lateral (
         select d.id, d.name, d.start, d.kind from mattock.dataset d
         where d.environment = $2 and d.connection = t.connection and d.gone_at is null
           and case when d.kind in ('table', 'view') then d.start = t.locator else starts_with(t.locator, d.start) end
         order by length(d.start) desc, d.id limit 1) d on true
       group by 1, 2, 3, 4, 5, 6)
     select k.direction, k.connection, k.place, k.id, k.name, k.at, k.run, k.rows,
       array(select distinct o.job from mattock.touch o
             where o.environment = $2 and o.connection = k.connection and o.job <> $1 and o.direction <> k.direction
               and o.locator ~>=~ k.place
               and o.locator ~<~ (case when k.kind in ('table', 'view') or k.kind is null then k.place || U&'\\0001' else k.place || U&'\\FFFF' end)
             order by o.job) as jobs
     from known k order by k.direction, k.connection, k.place limit 500`,
    [name, environment],
  )
  return {
    connections: needs.connections.map(({ name: of, kind }) => ({ name: of, kind })),
    controls: needs.controls.map(({ name: of }) => ({ name: of, jobs: others.get(of) ?? [] })),
    values: needs.values.map(({ name: of }) => of),
    places: rows.map(({ id, name: dataset, ...rest }) => ({
      ...rest,
      dataset: id === null ? null : { id, name: dataset! },
    })),
  }
}
