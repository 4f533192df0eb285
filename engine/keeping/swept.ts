import { sweptKinds, type SweptKind } from '../../core/keeping/swept'
import type { Engine } from '../context/engine'

export interface Swept {
  readonly kind: SweptKind
  readonly title: string
  readonly says: string
  /** How many were taken away so far. */
  readonly total: number
  /** How many the last time; 0 where there was none yet. */
  readonly last: number
  /** The last time that there was any (ISO 8601). */
  readonly at: string | null
}

/** Notes that something was left behind, and is gone now. */
export async function noteSwept(engine: Engine, kind: SweptKind, number: number): Promise<void> {
  if (number === 0) return
  await engine.db.$client.query(
    `insert into mattock.swept (kind, total, last, at) values ($1, $2, $2, clock_timestamp())
     on conflict (kind) do update set total = swept.total + excluded.last, last = excluded.last, at = excluded.at`,
    [kind, number],
  )
}

/** What was left behind so far, and taken away. */
export async function sweptSoFar(engine: Engine): Promise<Swept[]> {
  const { rows } = await engine.db.$client.query<{ kind: string; total: number; last: number; at: string }>(
    'select kind, total, last, at from mattock.swept',
  )
  return (Object.keys(sweptKinds) as SweptKind[]).map((kind) => {
    const { total = 0, last = 0, at = null } = rows.find((row) => row.kind === kind) ?? {}
    return { kind, ...sweptKinds[kind], total, last, at }
  })
}
