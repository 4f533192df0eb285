import type { Engine } from '../context/engine'
import type { Decision } from './decision'

/** Runs that went on since a time and whose loads do not all balance. */
export async function unbalanced(engine: Engine, environment: string, since: string): Promise<Decision[]> {
  const { rows } = await engine.db.$client.query<{ id: number; job: string; title: string; loads: number; at: string }>(
    `select r.id, r.job, r.title, sum(p.unbalanced)::int as loads, coalesce(r.started_at, r.created_at) as at
     from mattock.run r join mattock.run_part p on p.run_id = r.id
     where r.environment = $1 and coalesce(r.ended_at, now()) >= $2 group by r.id having sum(p.unbalanced) > 0 order by r.id desc`,
    [environment, since],
  )
  return rows.map(({ id, title, job, loads, at }) => ({
    kind: 'unbalanced',
    key: `unbalanced ${id}`,
    title: `${title}, run ${id}: ${loads} ${loads === 1 ? 'load does' : 'loads do'} not balance`,
    text: 'rows were read that are neither written, unchanged, rejected, filtered nor merged',
    count: loads,
    run: id,
    job,
    connection: null,
    latest: at,
  }))
} // prettier-ignore
