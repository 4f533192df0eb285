import { createReadStream } from 'node:fs'
import { pipeline } from 'node:stream/promises'
import type { Request, Response } from 'express'
import type { Engine } from '../../engine/context/engine'
import { rejectedRows, rejectPlace } from '../../engine/mending/rows'
import { startMending, toMend } from '../../engine/mending/start'
import { sendAs } from '../csv'
import type { Handlers } from '../handler'

export const rejectHandlers: Pick<Handlers, 'rejects' | 'toMend' | 'mend'> = {
  rejects: async ({ engine }, { params, query }) => {
    const place = await rejectPlace(engine, params.id, params.load, query.step)
    return await rejectedRows(place, query.offset, query.limit)
  },
  toMend: async ({ engine }, { params, query }) =>
    (await await toMend(engine, params.id, params.load, query.step)) as never,
  mend: async ({ engine, account }, { params, body }) => {
    const { step, rows, press } = body
    const ask = { by: account.name, ...(press === undefined ? {} : { press }) }
    return { run: await startMending(engine, params.id, params.load, step, rows, ask) }
  },
}

/** Sends the rejects of a step as CSV. */
export async function downloadRejects(engine: Engine, request: Request, response: Response): Promise<void> {
  const { path, name } = await rejectPlace(
    engine,
    Number(request.params.id),
    Number(request.params.load),
    String(request.query.step ?? ''),
  )
  sendAs(response, `rejects-${name}`, 'text/csv; charset=utf-8; header=present')
  await pipeline(createReadStream(path), response)
}
