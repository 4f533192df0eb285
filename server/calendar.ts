import type { Request, Response } from 'express'
import ical, { ICalCalendarMethod } from 'ical-generator'
import { z } from 'zod'
import type { Engine } from '../engine/context/engine'
import type { lookAhead } from '../engine/scheduling/outlook'
import { clockNow } from '../engine/context/clock'
import type { ServerOptions } from './handler'

const fortnight = 14 * 86_400_000

/** The starts of the next two weeks as a calendar (RFC 5545): an event each, as long as its run will likely take. */
export async function startsCalendar(
  engine: Engine,
  { planner }: Pick<ServerOptions, 'planner'>,
  person: string,
  request: Request,
  response: Response,
): Promise<void> {
  const { environment } = z.object({ environment: z.string() }).parse(request.query)
  const now = await clockNow(engine)
  const ask = { environment, from: new Date(now).toISOString(), until: new Date(now + fortnight).toISOString() }
  const outlook: Awaited<ReturnType<typeof lookAhead>> = await planner.ask({ person }, 'lookAhead', ask)
  const titles = new Map(outlook.jobs.map(({ job, title, starts }) => [job, { title, starts }]))
  const calendar = ical({ name: `Mattock, ${environment}`, method: ICalCalendarMethod.PUBLISH, prodId: { company: 'Mattock', product: 'starts', language: 'EN' } })
  for (const { job, start, label, at, ends, due, refused } of outlook.foreseen) {
    if (start === null || refused) continue
    const known = titles.get(job)
    const words = known?.starts.find(({ id }) => id === start)?.text ?? ''
    calendar.createEvent({
      // the same time of the same start is the same event, whenever it is fetched
      id: `${encodeURIComponent(environment)}.${job}.${start}.${Date.parse(at)}@${engine.installation}`,
      start: new Date(at),
      end: new Date(Math.max(Date.parse(ends), Date.parse(at) + 60_000)),
      stamp: new Date(now),
      summary: label === null ? (known?.title ?? job) : `${known?.title ?? job}, ${label}`,
      description: `${words}${due === null ? '' : `; to be done by ${due}`}`,
      categories: [{ name: environment }],
    })
  }
  response.type('text/calendar; charset=utf-8').setHeader('Content-Disposition', 'attachment; filename="starts.ics"')
  response.setHeader('Cache-Control', 'no-store')
  response.end(calendar.toString())
} // prettier-ignore
