import type { DecisionKind } from '../../core/decisionKinds'
import type { Engine } from '../context/engine'

/**
 * Since when what needs a decision stands, as it was seen: the oldest of some kinds, by job (milliseconds since 1970). What is
 * of no job is left out.
 */
export async function standsSince(
  engine: Engine,
  environment: string,
  kinds: readonly DecisionKind[],
): Promise<Map<string, number>> {
  const { rows } = await engine.db.$client.query<{ job: string; since: string }>(
    `select job, min(since) as since from mattock.matter_span
     where environment = $1 and kind = any ($2) and until is null and job is not null group by job`,
    [environment, kinds],
  )
  return new Map(rows.map(({ job, since }) => [job, Date.parse(since)]))
}
