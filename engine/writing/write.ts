import { join } from 'node:path'
import { targetKind, type TargetKind } from '../../core/job/targets'
import { intoTable, ofMended, type ToFiles, type ToTable, type Transfer } from '../../core/job/steps/transfer'
import { openAs, openPostgres } from '../connectors/connections'
import { tableOf } from '../connectors/postgres/tables'
import type { Outcome, StepContext } from '../context/step'
import { literal, withDuck } from '../duck/duck'
import { databaseInTry, databaseOf, withSource, type Located } from '../reading/open'
import { withFolder } from '../context/temporary'
import { openMended } from '../reading/mended'
import { ensureMarks, sinceMark } from './since'
import { tableToTable } from './tableToTable'
import { toFiles, writerOf, type FileTarget } from './toFiles'
import { toTable } from './toTable'
import { inTransaction } from './transaction'

/** Writes what a source gives into a kind of target; returns what the step did. core/job/targets/ has the other half. */
type Writer = (context: StepContext, spec: Transfer, source: Located) => Promise<Outcome>

const writers: Readonly<Record<TargetKind, Writer>> = {
  table: async (context, spec, source) => {
    if (!intoTable(spec)) throw new Error('a table was expected')
    const { engine, environment, text, aside } = context
    const connection = text('into.connection').text
    const real = tableOf(text('into.table'))
    const pool = await openPostgres(engine, connection, environment)
    const into = { ...spec, into: { ...spec.into, connection } }
    if (spec.since && !aside) await ensureMarks(pool)
    return await inTransaction(context, { pool, connection }, async (client) => {
      const table = aside ? await aside.database(pool, connection).writing(real) : real
      const { mended } = context
      if (mended) {
        const once = { table, spec: ofMended(into) as ToTable }
        await withFolder((folder) =>
          withDuck(context.zone, true, async (duck) =>
            toTable(client, duck, await openMended(mended, folder), once, context),
          ),
        )
        // what the source looks like is not told by a few rows of it
        delete context.outcome.sourceColumns
        return
      }
      const database = databaseOf(source)
      if (database) {
        // from database to database: the rows need not pass through here
        const { connection: name, source: from } = await databaseInTry(context, database)
        const sources = await openPostgres(engine, name, environment)
        const named = { ...into, from: { ...into.from, connection: name } }
        const marked = spec.since && (await sinceMark(client, sources, from, name, spec.since, context))
        const transfer = { source: marked?.source ?? from, table, spec: named }
        return await tableToTable(client, sources, transfer, context, marked?.move)
      }
      await withSource(context, source, spec.into.repeats === 'keep-last', (duck, opened) =>
        toTable(client, duck, opened, { table, spec: into }, context),
      )
    })
  },
  files: async (context, spec, source) => {
    const { engine, environment, text, aside, outcome } = context
    const { store: real } = await openAs(engine, 'files', text('into.store').text, environment)
    const store = aside ? await aside.storeFor(real) : real
    const target = { store, path: text('into.file').text, spec: spec as ToFiles }
    // values that are cast may not fit, and are then looked for
    const located = { ...source, again: spec.types !== undefined }
    await withSource(context, located, true, (duck, opened) => toFiles(duck, opened, target, context))
    await lookAtFiles(target, context)
    return outcome
  },
}

/** Brings rows from any source into any target: the only way out. */
export async function write(context: StepContext, spec: Transfer): Promise<Outcome> {
  const source: Located = {
    from: spec.from,
    text: (key) => context.text(`from.${key}`),
  }
  return await writers[targetKind(spec.into)](context, spec, source)
}

/** In a try, keeps the first rows of the files that were written. */
async function lookAtFiles(target: FileTarget, { aside, zone }: StepContext): Promise<void> {
  const { readBack } = writerOf(target)
  if (!aside || !readBack) return
  const place = literal(join(target.store.root, target.path, target.spec.into.split ? '**/*' : ''))
  await withDuck(zone, true, (duck) =>
    aside.lookAtOutput(duck, target.path, `select * from ${readBack(place)}`),
  )
}
