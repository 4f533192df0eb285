import { join } from 'node:path'
import type { DuckDBConnection } from '@duckdb/node-api'
import { valueReadingOf } from '../../core/files/reading'
import { sourceKind, type From, type SourceKind } from '../../core/job/sources'
import type { Resolved } from '../../core/text/slot'
import { FaultError } from '../../core/fault'
import { openAs, openPostgres } from '../connectors/connections'
import { qualified, tableOf } from '../connectors/postgres/tables'
import { stepFault, StepFault, type ReadContext, type TextOf } from '../context/step'
import { withFolder } from '../context/temporary'
import { columnsRefusal } from '../formats/bounds'
import { makeRoom, withDuck } from '../duck/duck'
import { withDatabaseSource, type DatabaseSource } from './database'
import { openFiles } from './files'
import { asKnown, knownDataset, readingOf, setByHand, statedFirst, type SetByHand } from './known'
import { openAnswer } from './service'
import type { EmptySource, OpenSource } from './source'

/** What is to be read, with every text resolved. */
export interface Located {
  readonly from: From
  /** Gives a text of the source by its key: `files`, `table`. */
  readonly text: TextOf
  /** Rows that are wanted at most, where the source is only looked at. */
  readonly limit?: number
  /** It may have to be read more than once: what does not fit is looked for in it. */
  readonly again?: boolean
}

/** A table or query of a database, which can be read within it. */
export interface DatabasePlace {
  readonly connection: string
  readonly source: DatabaseSource
}

/** A kind of source: how it is opened. core/job/sources/ has the other half. */
interface Reader {
  /** Where it is a relation of a database: which, so that what stays within it need not leave. */
  readonly database?: (located: Located) => DatabasePlace
  /** Opens it for DuckDB, for as long as the work takes. `folder` is for what must be laid down first. */
  readonly open: <T>(
    duck: DuckDBConnection,
    context: ReadContext,
    located: Located,
    folder: string,
    use: (source: OpenSource | EmptySource) => Promise<T>,
  ) => Promise<T>
}

const fromDatabase = (database: NonNullable<Reader['database']>): Reader => ({
  database,
  open: async (duck, context, located, folder, use) => {
    const { connection, source } = await databaseInTry(context, database(located))
    const pool = await openPostgres(context.engine, connection, context.environment)
    return await withDatabaseSource(
      duck,
      pool,
      source,
      connection,
      context,
      located.again ? join(folder, 'rows.csv') : undefined,
      use,
    )
  },
})

const readers: Readonly<Record<SourceKind, Reader>> = {
  files: {
    open: async (duck, context, { from, text }, folder, use) => {
      const { engine, environment, aside, outcome } = context
      const { store: real } = await openAs(engine, 'files', text('store').text, environment)
      const path = pathOf(text('files'))
      const store = aside ? await aside.storeOf(real, path.pattern) : real
      const known =
        from.dataset === undefined
          ? undefined
          : await knownDataset(engine, environment, real.name, text('dataset').text)
      let byHand: SetByHand | undefined
      const place = {
        store,
        pattern: path.pattern,
        said: path.text,
        reading: known ? readingOf(from, known) : from,
        optional: from.missing === 'skip',
        sift: async (paths: readonly string[]) => {
          if (known) return await known.othersAmong(paths)
          byHand = await setByHand(engine, environment, real.name, paths, from)
          return none
        },
      }
      const source = await openFiles(duck, place, folder, outcome)
      if (source.empty) return await use(source)
      if (known) return await use({ ...source, ...asKnown(source.columns, known.columns) })
      if (!byHand || byHand.columns.length === 0) return await use(source)
      outcome.log.push(
        `as a person set it for ${byHand.dataset}: ${byHand.columns.map(({ name, type }) => `${name} is ${type}`).join(', ')}`,
      )
      const { types, readings } = asKnown(source.columns, statedFirst(byHand.columns, from))
      return await use({ ...source, types, readings })
    },
  },
  table: fromDatabase(({ text }) => ({
    connection: text('connection').text,
    source: { kind: 'table', table: tableOf(text('table')) },
  })),
  query: fromDatabase(({ text }) => {
    const query = text('query')
    if (query.kind !== 'sql') throw new Error('SQL was expected')
    return {
      connection: text('connection').text,
      source: { kind: 'query', text: query.text, values: query.values },
    }
  }),
  service: {
    open: async (duck, { engine, environment, signal, outcome }, { from, text, limit }, folder, use) => {
      const { service } = await openAs(engine, 'service', text('service').text, environment)
      const place = {
        service,
        path: text('path').text,
        records: from.records,
        inner: from.inner,
        ...(limit === undefined ? {} : { limit }),
      }
      return await use(await openAnswer(duck, place, folder, signal, outcome))
    },
  },
}

const none: ReadonlySet<string> = new Set()

const pathOf = (resolved: Resolved) => {
  if (resolved.kind !== 'path') throw new Error('a path was expected')
  return resolved
}

/** The table or query that a source is; undefined where it is no relation of a database. */
export const databaseOf = (located: Located): DatabasePlace | undefined =>
  readers[sourceKind(located.from)].database?.(located)

/** In a try, a table or query is read from what the try wrote before, and its first rows are kept. */
export async function databaseInTry(context: ReadContext, place: DatabasePlace): Promise<DatabasePlace> {
  const { aside, engine, environment } = context
  if (!aside) return place
  const { connection, source } = place
  const own = aside.database(await openPostgres(engine, connection, environment), connection)
  if (source.kind === 'table') {
    const table = await own.reading(source.table)
    await own.lookAtQuery(
      `${source.table.schema}.${source.table.name}`,
      `select * from ${qualified(table)}`,
      [],
    )
    return { connection, source: { kind: 'table', table } }
  }
  const text = await own.query(source.text)
  await own.lookAtQuery('the query', text, source.values)
  return { connection, source: { ...source, text } }
}

/** How the job says that values are written. */
const writtenAs = (from: From): Pick<OpenSource, 'reading' | 'detects'> => ({
  reading: valueReadingOf(from),
  ...(from.format === 'detect' || from.dataset !== undefined ? { detects: true } : {}),
})

/**
 * Opens any source for as long as the work takes: the only way in. Rows come in the order of the source where
 * `ordered` asks for it.
 * @throws StepFault, FaultError for what stands in the way of reading it
 */
export async function withSource<T>(
  context: ReadContext,
  located: Located,
  ordered: boolean,
  use: (duck: DuckDBConnection, source: OpenSource | EmptySource) => Promise<T>,
): Promise<T> {
  return await withFolder((folder) =>
    withDuck(context.zone, ordered, (duck) =>
      readers[sourceKind(located.from)].open(duck, context, located, folder, async (given) => {
        if (!given.empty) {
          const refusal = columnsRefusal(given.columns.length, context.engine.limits)
          if (refusal !== undefined) stepFault('file', `${given.label}: ${refusal}`, 'look at the source; is it what it should be?') // prettier-ignore
          await makeRoom(duck, given.columns.length)
        }
        const source = given.empty ? given : { ...given, ...writtenAs(located.from) }
        // what a database gives was looked at where it was opened
        if (!source.empty && !readers[sourceKind(located.from)].database)
          await context.aside?.lookAtSource(duck, source)
        return await unlessCountFails(duck, source, () => use(duck, source))
      }),
    ),
  )
}

/**
 * The count that is made beside the reading may see first that a source cannot be what it should: then the reading ends,
 * and its reason is the count's.
 */
async function unlessCountFails<T>(
  duck: DuckDBConnection,
  { counted }: OpenSource | EmptySource,
  work: () => Promise<T>,
): Promise<T> {
  let reason: unknown
  counted.catch((error: unknown) => {
    reason = error
    duck.interrupt()
  })
  try {
    return await work()
  } catch (error) {
    throw reason instanceof FaultError || reason instanceof StepFault ? reason : error
  }
}
