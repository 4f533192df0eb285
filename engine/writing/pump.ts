import { pipeline } from 'node:stream/promises'
import type { DuckDBConnection } from '@duckdb/node-api'
import type pg from 'pg'
import { from as copyFrom } from 'pg-copy-streams'
import { StepFault, nothingWritten, stepFault, stopped, type StepContext } from '../context/step'
import { mayPass } from '../connectors/postgres/tables'
import { causeAmong, isFull } from '../context/causes'
import { point } from '../context/points'
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
    await point('rows-flowing')
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
    const [produced, pumped] = await Promise.allSettled([written, pipeline(pipe.stream, sink)])
    if (context.signal.aborted) throw stopped()
    // COPY's own fault says more than the broken pipe that DuckDB sees because of it
    if (pumped.status === 'rejected' || produced.status === 'rejected') {
      const reading = produced.status === 'rejected' ? (produced.reason as Error) : undefined
      const cause = causeAmong(pumped.status === 'rejected' ? (pumped.reason as Error) : undefined, reading)
      throw cause === reading && !isFull(cause) && !mayPass(cause) ? readFault(cause) : cause
    }
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
