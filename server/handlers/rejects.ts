import { createReadStream } from 'node:fs'
import { access } from 'node:fs/promises'
import { join } from 'node:path'
import { pipeline } from 'node:stream/promises'
import { and, eq } from 'drizzle-orm'
import type { Request, Response } from 'express'
import { fail } from '../../core/fault'
import { load, loadStep } from '../../database/schema'
import type { Engine } from '../../engine/context/engine'
import { literal, withDuck } from '../../engine/duck/duck'
import { sendAs } from '../csv'
import type { Handlers } from '../handler'

/** Path of a step's rejects; the name was made by the engine, not by whoever asks. */
async function rejectPath(
  engine: Engine,
  run: number,
  loadId: number,
  step: string,
): Promise<{ path: string; name: string }> {
  const [found] = await engine.db
    .select({ file: loadStep.rejectFile })
    .from(loadStep)
    .innerJoin(load, eq(load.id, loadStep.loadId))
    .where(and(eq(load.runId, run), eq(load.id, loadId), eq(loadStep.step, step)))
  if (!found?.file) fail('unknown-name', `load ${loadId} has no rejects in step ${step}`)
  const path = join(engine.dataFolder, 'rejects', found.file)
  await access(path).catch(() =>
    fail('file', `the rejects of load ${loadId} are not in the data folder any more; their counts stay`),
  )
  return { path, name: found.file.replace('/', '-') }
}

export const rejectHandlers: Pick<Handlers, 'rejects'> = {
  rejects: async ({ engine }, { params, query }) => {
    const { path } = await rejectPath(engine, params.id, params.load, query.step)
    return await withDuck('UTC', true, async (duck) => {
      const from = `read_csv(${literal(path)}, header = true, delim = ',', quote = '"', escape = '"', auto_detect = false, columns = {'file': 'VARCHAR', 'line': 'BIGINT', 'column': 'VARCHAR', 'reason': 'VARCHAR', 'raw': 'VARCHAR'})`
      const total = Number((await duck.runAndReadAll(`select count(*) from ${from}`)).getRows()[0]![0])
      const rows = (
        await duck.runAndReadAll(`select * from ${from} offset ${query.offset} limit ${query.limit}`)
      ).getRows() as [string, bigint, string | null, string, string | null][]
      return {
        total,
        rows: rows.map(([file, line, column, reason, raw]) => ({
          file,
          line: Number(line),
          column: column ?? '',
          reason,
          raw: raw ?? '',
        })),
      }
    })
  },
}

/** Sends the rejects of a step as CSV. */
export async function downloadRejects(engine: Engine, request: Request, response: Response): Promise<void> {
  const { path, name } = await rejectPath(
    engine,
    Number(request.params.id),
    Number(request.params.load),
    String(request.query.step ?? ''),
  )
  sendAs(response, `rejects-${name}`, 'text/csv; charset=utf-8; header=present')
  await pipeline(createReadStream(path), response)
}
