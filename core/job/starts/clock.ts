import { z } from 'zod'
import { field } from '../../field/field'
import { cronFault, cronTimes, cronWords } from '../../schedule/cron'
import { movedCron } from '../../schedule/move'
import { zoneFault } from '../../schedule/zone'
import { defineStart } from './definition'

export const clock = defineStart({
  words: 'by the clock',
  schema: z
    .strictObject({
      cron: field(z.string(), { label: 'at', usual: '30 5 * * mon-fri' }).describe(
        'minute, hour, day of the month, month, day of the week; names may be used (crontab)',
      ),
      zone: z.string().optional().describe('IANA time zone; that of the slices, or UTC, where it is left out'),
      slices: field(z.enum(['new', 'newest']), {
        label: 'takes',
        rare: true,
        words: { new: 'every slice that is over since it last began', newest: 'the newest slice that is over, again where it is no other' },
      })
        .default('new')
        .describe('of a job with slices: each that is over since its last start, or the newest whatever was loaded before'),
    })
    .describe('by the clock'),
  fresh: { cron: '30 5 * * *' },
  text: ({ cron }) => cronWords(cron),
  fault: ({ cron, zone }) => {
    const wrong = cronFault(cron)
    if (wrong !== undefined) return { path: 'cron', message: wrong }
    const unknown = zone === undefined ? undefined : zoneFault(zone)
    return unknown === undefined ? undefined : { path: 'zone', message: unknown }
  },
  zone: ({ zone }) => zone,
  takes: ({ slices }) => slices,
  moved: (given, at, to, zone) => {
    const cron = movedCron(given.cron, at, to, zone)
    return cron === undefined ? undefined : { ...given, cron }
  },
  times: ({ cron, zone }, { slices }, after, until, limit) =>
    cronTimes({ expression: cron, zone: zone ?? slices?.zone ?? 'UTC' }, after, until, limit).map((at) => ({ at })),
}) // prettier-ignore
