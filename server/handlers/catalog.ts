import { eq } from 'drizzle-orm'
import type { Request, Response } from 'express'
import type { catalogRoutes } from '../../contract/catalog'
import { toTableSchema } from '../../core/catalog/tableSchema'
import { dataset } from '../../database/catalog'
import { browse, firstRows } from '../../engine/catalog/browse'
import { editDataset, takeTableSchema } from '../../engine/catalog/edit'
import { catalogFacets, listDatasets } from '../../engine/catalog/list'
import { draftOneJob, makeOneJob } from '../../engine/catalog/oneJob'
import { datasetFiles, datasetPage } from '../../engine/catalog/page'
import { askProfile } from '../../engine/catalog/profile'
import { catalogColumns, readDataset } from '../../engine/catalog/reading'
import { sampleRows } from '../../engine/catalog/sample'
import { holdShared } from '../everywhere'
import type { Engine } from '../../engine/context/engine'
import { acceptProposals, acceptWaiting, leaveProposals } from '../../engine/survey/accept'
import { listProposals, listSurveys, readSurvey } from '../../engine/survey/list'
import { resumeSurvey, startSurvey, stopSurvey } from '../../engine/survey/survey'
import type { Verdict } from '../../core/catalog/evidence'
import type { Handlers } from '../handler'
import { csvSheetLine } from '../../core/files/csvText'
import { sendAs, writeAll } from '../csv'
import { holdDataset, holdPlace, seesAll } from '../rows'
import { mutable } from '../mutable'

export const catalogHandlers: Pick<Handlers, keyof typeof catalogRoutes> = {
  browse: async ({ engine }, { params, query }) =>
    await browse(engine, params.name, query.environment, query.path),
  firstRows: async (asked, { params, query }) => {
    await holdPlace(asked, query.environment, params.name, query.path)
    return mutable(await firstRows(asked.engine, params.name, query.environment, query.path))
  },
  draftOneJob: async ({ engine }, { body: { datasets, ...ask } }) =>
    mutable(await draftOneJob(engine, datasets, ask)),
  makeOneJob: async (asked, { body: { datasets, ...ask } }) => {
    await holdShared(asked, 'a control table')
    return mutable(await makeOneJob(asked.engine, datasets, ask, asked.account.name))
  },
  startSurvey: async ({ engine, account }, { body }) => ({
    survey: await startSurvey(engine, { ...body, by: account.name }),
  }),
  surveys: async ({ engine }, { query }) => mutable(await listSurveys(engine, query)),
  survey: async ({ engine }, { params }) => mutable(await readSurvey(engine, params.id)),
  surveyProposals: async ({ engine }, { params, query }) =>
    mutable(await listProposals(engine, params.id, query)),
  decideProposals: async ({ engine, account }, { params, body }) => {
    if (body.decision === 'accept')
      return { decided: await acceptProposals(engine, params.id, body.numbers, account.name) }
    return { decided: await leaveProposals(engine, params.id, body.numbers) }
  },
  stopSurvey: async ({ engine }, { params }) => {
    await stopSurvey(engine, params.id)
    return {}
  },
  resumeSurvey: async ({ engine }, { params }) => {
    await resumeSurvey(engine, params.id)
    return {}
  },
  datasets: async ({ engine }, { query }) => await listDatasets(engine, query),
  catalogFacets: async ({ engine }, { query }) => await catalogFacets(engine, query.environment),
  dataset: async (asked, { params }) => {
    const page = await datasetPage(asked.engine, params.id)
    const withheld = page.closed && !seesAll(asked, page.environment)
    // a profile shows values; so does the evidence for a type
    return mutable(withheld ? { ...page, profile: null, columns: page.columns.map(withoutValues) } : page)
  },
  editDataset: async ({ engine }, { params, body }) => {
    await editDataset(engine, params.id, body as Parameters<typeof editDataset>[2])
    return {}
  },
  acceptDrift: async ({ engine, account }, { params }) => {
    await acceptWaiting(engine, params.id, account.name)
    return {}
  },
  datasetRows: async (asked, { params, query }) => {
    const entry = await readDataset(asked.engine, params.id)
    holdDataset(asked, entry)
    return mutable(await sampleRows(asked.engine, entry, query.limit))
  },
  datasetFiles: async ({ engine }, { params, query }) =>
    await datasetFiles(engine, params.id, query.offset, query.limit),
  profileDataset: async ({ engine }, { params, body }) => {
    await askProfile(engine, params.id, body.exact)
    return {}
  },
  tableSchema: async ({ engine }, { params }) => {
    const entry = await readDataset(engine, params.id)
    return toTableSchema(catalogColumns(entry), entry.keyByHand ?? entry.keyFound)
  },
  takeTableSchema: async ({ engine }, { params, body }) => ({
    left: await takeTableSchema(engine, params.id, body),
  }),
}

/** A column without the value that decided on its type. */
const withoutValues = <T extends { verdict?: Verdict | undefined }>(column: T): T =>
  column.verdict?.decided
    ? { ...column, verdict: { ...column.verdict, decided: { ...column.verdict.decided, first: null } } }
    : column

/** The catalog of an environment as CSV, a line for each column of each dataset. */
export async function downloadCatalog(engine: Engine, request: Request, response: Response): Promise<void> {
  const environment = String(request.query.environment ?? '')
  const rows = await engine.db
    .select()
    .from(dataset)
    .where(eq(dataset.environment, environment))
    .orderBy(dataset.name)
  sendAs(response, `catalog-${environment}.csv`, 'text/csv; charset=utf-8; header=present')
  await writeAll(response, csvSheetLine(['dataset', 'connection', 'place', 'kind', 'description', 'owner', 'tags', 'rows', 'files', 'bytes', 'version', 'column', 'source', 'type', 'source_type', 'key', 'column_description'])) // prettier-ignore
  for (const entry of rows) {
    const key = entry.keyByHand ?? entry.keyFound
    for (const column of catalogColumns(entry))
      await writeAll(
        response,
        csvSheetLine([
          entry.name, entry.connection, entry.locator, entry.kind, entry.description, entry.owner, entry.tags.join(' '), entry.rows, entry.files, entry.bytes,
          entry.version, column.name, column.source, column.type, column.sourceType, key.includes(column.name), column.description ?? column.comment,
        ]), // prettier-ignore
      )
  }
  response.end()
}
