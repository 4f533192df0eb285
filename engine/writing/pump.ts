import { pipeline } from 'node:stream/promises'
import type { DuckDBConnection } from '@duckdb/node-api'
import type pg from 'pg'
import { from as copyFrom } from 'pg-copy-streams'
import { StepFault, nothingWritten, stepFault, stopped, type StepContext } from '../context/step'
import { literal, makePipe } from '../duck/duck'

/** DuckDB writes CSV into the pipe, COPY reads it. Returns the rows that Postgres took. */
export async function pump(
  client: pg.PoolClient,
  duck: DuckDBConnection,
  select: string,
  copy: string,
  on: string,
  context: StepContext,
): Promise<number> {
  const pipe = await makePipe()
  const start = performance.now()
  const onAbort = () => duck.interrupt()
  context.signal.addEventListener('abort', onAbort)
  try {
    const sink = client.query(copyFrom(copy))
    const written = duck
      .runAndReadAll(
        `copy (${select}) to ${literal(pipe.path)} (format csv, header false, use_tmp_file false)`,
      )
      .then(
        (result) => {
          pipe.finish()
          return Number(result.getRows()[0]![0])
        },
        (error: Error) => {
          // the stream must fail, not end: an end would commit half a file
          pipe.stream.destroy(error)
          throw error
        },
      )
    // COPY's own fault says more than the broken pipe that DuckDB sees because of it
    const [produced, pumped] = await Promise.allSettled([written, pipeline(pipe.stream, sink)])
    if (context.signal.aborted) throw stopped()
    const databaseError =
      pumped.status === 'rejected' &&
      (pumped.reason as { code?: string }).code !== undefined &&
      /^[0-9A-Z]{5}$/.test(String((pumped.reason as { code?: string }).code))
    if (pumped.status === 'rejected' && databaseError) throw pumped.reason
    if (produced.status === 'rejected') throw readFault(produced.reason as Error)
    if (pumped.status === 'rejected') throw pumped.reason
    context.outcome.statements.push({
      on,
      text: select,
      rows: produced.value,
      milliseconds: Math.round(performance.now() - start),
    })
    context.outcome.statements.push({
      on,
      text: copy,
      rows: sink.rowCount,
      milliseconds: Math.round(performance.now() - start),
    })
    if (produced.value !== sink.rowCount)
      stepFault(
        'lost-rows',
        `${produced.value} rows were read and ${sink.rowCount} arrived`,
        'rerun; tell us if it happens again',
      )
    return sink.rowCount
  } finally {
    context.signal.removeEventListener('abort', onAbort)
    await pipe.destroy()
  }
}

function readFault(error: Error): Error {
  const first = error.message.split('\n')[0] ?? error.message
  return new StepFault({
    code: 'read',
    message: `the file cannot be read: ${first}`,
    effect: nothingWritten,
    advice: 'look at the file; is it the CSV it should be?',
  })
}
