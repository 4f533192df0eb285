import { listOccasions, pastRuns, startLag } from '../../engine/scheduling/occasions'
import { againWords } from '../../core/schedule/pause'
import { clockNow } from '../../engine/context/clock'
import { endPause, pausesSince, pauseStarts, shownSpans } from '../../engine/scheduling/pauses'
import { signatureOf } from '../signed'
import { callKeys, callPath, dropCallKey, makeCallKey, takeCall } from '../../engine/scheduling/called'
import type { Handlers } from '../handler'
import { lookOf, plannerOf } from '../planner'

const hour = 3_600_000

export const startHandlers: Pick<Handlers, 'starts' | 'playStarts' | 'nextStarts' | 'occasions' | 'previewStarts' | 'pauseStarts' | 'endPause' | 'callStart' | 'callKeys' | 'makeCallKey' | 'dropCallKey'> = {
  starts: async (asked, { query }) => {
    const { engine } = asked
    const { environment, from, until } = query
    const [outlook, past, lag] = await Promise.all([
      lookOf(asked, { environment, from, until }),
      pastRuns(engine, environment, from, until),
      startLag(engine, environment),
    ])
    const now = Date.parse(outlook.at)
    const stretch = { from: Date.parse(from), until: Date.parse(until) }
    const since = new Date(Math.min(now, stretch.from)).toISOString()
    const pauses = await pausesSince(engine.db.$client, environment, since)
    const told = pauses.map((pause) => ({
      ...pause,
      words: pause.again && againWords(pause.again),
      spans: shownSpans(pause, now, stretch),
    }))
    return { ...outlook, past, lag, pauses: told } as never
  },
  playStarts: async (asked, { body }) => {
    const { jobs: _jobs, ...played } = await lookOf(asked, body)
    return played as never
  },
  nextStarts: async (asked, { query }) => {
    const { environment, hours, limit } = query
    const now = await clockNow(asked.engine)
    const span = { environment, from: new Date(now).toISOString(), until: new Date(now + hours * hour).toISOString() }
    const { foreseen, jobs } = await lookOf(asked, span)
    const words = new Map(jobs.flatMap(({ job, starts }) => starts.map(({ id, text }) => [`${job} ${id}`, text] as const)))
    return foreseen
      .filter(({ start, refused, at }) => start !== null && !refused && Date.parse(at) >= now)
      .sort((a, b) => Date.parse(a.at) - Date.parse(b.at))
      .slice(0, limit)
      .map(({ job, start, at, label, ends, unknown }) => ({
        job,
        at,
        cause: words.get(`${job} ${start}`) ?? start!,
        slice: label,
        forecast: unknown ? null : { seconds: (Date.parse(ends) - Date.parse(at)) / 1000, ends },
      }))
  },
  occasions: async ({ engine }, { query }) => (await listOccasions(engine, query)) as never,
  previewStarts: async (asked, { body }) => ({
    starts: (await plannerOf(asked, 'previewStarts', body.text, body.environment)) as never,
  }),
  pauseStarts: async ({ engine, account }, { body }) => ({
    pause: await pauseStarts(engine, { ...body, by: account.name }),
  }),
  callStart: async ({ engine, request }, { params, body }) =>
    await takeCall(engine, { ...params, ...body, signature: signatureOf(request) }),
  callKeys: ({ engine }, { params, query }) => callKeys(engine, query.environment, params.name),
  makeCallKey: async ({ engine, account }, { body }) => ({
    key: await makeCallKey(engine, body, account.name),
    path: callPath(body),
  }),
  dropCallKey: async ({ engine }, { body }) => {
    await dropCallKey(engine, body)
    return {}
  },
  endPause: async ({ engine, account }, { params, query }) => {
    await endPause(engine, params.id, account.name, query.once)
    return {}
  },
} // prettier-ignore
