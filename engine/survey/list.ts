import { sql, type SQL } from 'drizzle-orm'
import { fail } from '../../core/fault'
import type { survey, surveyProposal } from '../../database/catalog'
import type { Engine } from '../context/engine'

export type SurveyBrief = Omit<typeof survey.$inferSelect, 'unattended' | 'worker' | 'attempt'> & {
  proposals: { new: number; changed: number; gone: number; open: number }
}

async function surveysWhere(engine: Engine, condition: SQL, limit: number): Promise<SurveyBrief[]> {
  const { rows } = await engine.db.execute<SurveyBrief & Record<string, unknown>>(
    sql`select s.id, s.environment, s.connection, s.scope, s.state, s.stopping, s.by, s.created_at as "createdAt", s.started_at as "startedAt",
          s.ended_at as "endedAt", s.progress, s.strays, s.same, s.fault,
          (select json_build_object('new', count(*) filter (where kind = 'new'), 'changed', count(*) filter (where kind = 'changed'),
             'gone', count(*) filter (where kind = 'gone'), 'open', count(*) filter (where decided is null))
           from mattock.survey_proposal p where p.survey_id = s.id) as proposals
        from mattock.survey s where ${condition} order by s.id desc limit ${limit}`,
  )
  return rows
}

/** Surveys, newest first. */
export function listSurveys(
  engine: Engine,
  ask: { environment: string; connection?: string | undefined; limit: number },
): Promise<SurveyBrief[]> {
  const of = ask.connection ? sql` and s.connection = ${ask.connection}` : sql``
  return surveysWhere(engine, sql`s.environment = ${ask.environment}${of}`, ask.limit)
}

export async function readSurvey(engine: Engine, id: number): Promise<SurveyBrief> {
  const [found] = await surveysWhere(engine, sql`s.id = ${id}`, 1)
  return found ?? fail('unknown-name', `there is no survey ${id}`)
}

export type Proposal = Pick<
  typeof surveyProposal.$inferSelect,
  'number' | 'kind' | 'datasetId' | 'found' | 'change' | 'decided'
> & {
  known: string | null
}

/** What a survey would change, by page: changed and gone before new, then by name. */
export async function listProposals(
  engine: Engine,
  id: number,
  ask: { kind?: string | undefined; search: string; offset: number; limit: number },
): Promise<{ total: number; proposals: Proposal[] }> {
  const like = `%${ask.search.toLowerCase().replace(/[\\%_]/g, '\\$&')}%`
  const { rows } = await engine.db.execute<Proposal & { total: number }>(
    sql`select p.number, p.kind, p.dataset_id as "datasetId", p.found, p.change, p.decided, d.name as known, count(*) over ()::int as total
        from mattock.survey_proposal p left join mattock.dataset d on d.id = p.dataset_id
        where p.survey_id = ${id} and (${ask.kind ?? null}::text is null or p.kind = ${ask.kind ?? null})
          and lower(coalesce(d.name, p.found ->> 'name')) like ${like}
        order by array_position(array['changed', 'gone', 'new'], p.kind), coalesce(d.name, p.found ->> 'name') limit ${ask.limit} offset ${ask.offset}`,
  )
  return { total: rows[0]?.total ?? 0, proposals: rows.map(({ total: _, ...proposal }) => proposal) }
}
