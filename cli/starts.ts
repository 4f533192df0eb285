import { parseArgs } from 'node:util'
import type { Answer } from '../contract/route'
import { routes } from '../contract/routes'
import { lengthWords } from '../core/schedule/words'
import { openApi } from './api'
import { UsageError } from './usage'
import { dataFolder } from './state'

/** starts: the next runs that begin by themselves, with their forecast. */
export async function starts(args: string[]): Promise<number> {
  const { values, positionals } = parseArgs({
    args,
    allowPositionals: true,
    options: {
      data: { type: 'string' },
      env: { type: 'string', default: process.env.MATTOCK_ENV ?? '' },
      hours: { type: 'string', default: '24' },
      limit: { type: 'string', default: '100' },
      json: { type: 'boolean', default: false },
    },
  })
  if (positionals.length > 0) throw new UsageError(`starts takes no ${positionals[0]}`)
  const [hours, limit] = [Number(values.hours), Number(values.limit)]
  if (!Number.isInteger(hours) || hours < 1 || hours > 336) throw new UsageError('--hours takes 1 to 336')
  if (!Number.isInteger(limit) || limit < 1 || limit > 1000) throw new UsageError('--limit takes 1 to 1000')
  const api = openApi(dataFolder(values.data))
  // where nobody says, it is what really runs that is asked about
  const environment =
    values.env || ((await api.call(routes.session)).environments.find(({ live }) => live)?.name ?? 'live')
  const next = await api.call(routes.nextStarts, { query: { environment, hours, limit } })
  process.stdout.write(values.json ? `${JSON.stringify(next)}\n` : startsText(next))
  return 0
}

function startsText(next: Answer<typeof routes.nextStarts>): string {
  if (next.length === 0) return 'nothing begins by itself in these hours\n'
  const width = Math.max(...next.map(({ job }) => job.length))
  return next
    .map(({ job, at, cause, slice, forecast }) =>
      [
        at.slice(0, 16).replace('T', ' '),
        job.padEnd(width),
        forecast ? lengthWords(Math.max(1, forecast.seconds) * 1000).padStart(8) : '       ?',
        slice === null ? cause : `${slice}: ${cause}`,
      ].join('  '),
    )
    .join('\n')
    .concat('\n')
}
