import { parseArgs } from 'node:util'
import type { Answer } from '../contract/route'
import { routes } from '../contract/routes'
import { openApi } from './api'
import { UsageError } from './usage'
import { dataFolder } from './state'

/** arrivals: what the newest slice of each job expects by file, and whether it came. */
export async function arrivals(args: string[]): Promise<number> {
  const { values, positionals } = parseArgs({
    args,
    allowPositionals: true,
    options: {
      data: { type: 'string' },
      env: { type: 'string', default: process.env.MATTOCK_ENV ?? '' },
      json: { type: 'boolean', default: false },
    },
  })
  if (positionals.length > 1) throw new UsageError(`arrivals takes one job, not ${positionals[1]}, too`)
  const api = openApi(dataFolder(values.data))
  const environment =
    values.env || ((await api.call(routes.session)).environments.find(({ live }) => live)?.name ?? 'live')
  // far enough back that a month that is over lies in it
  const from = new Date(Date.now() - 62 * 86_400_000).toISOString()
  const until = new Date(Date.now() + 86_400_000).toISOString()
  const { newest } = await api.call(routes.arrivals, { query: { environment, from, until, job: positionals[0] } }) // prettier-ignore
  const told = newest.map(({ job, row, slice, name, due, came, state }) => ({
    job,
    row,
    slice: { from: slice.from, to: slice.to },
    name,
    due,
    came,
    state,
  }))
  process.stdout.write(values.json ? `${JSON.stringify(told)}\n` : arrivalsText(newest))
  return 0
}

function arrivalsText(newest: Answer<typeof routes.arrivals>['newest']): string {
  if (newest.length === 0) return 'no job expects files\n'
  const width = Math.max(...newest.map(({ row }) => row.length))
  return newest
    .map(({ row, slice, name, due, came, state }) =>
      [
        state.padEnd(8),
        row.padEnd(width),
        slice.label,
        name,
        came === null
          ? due === null
            ? ''
            : `due ${due.slice(0, 16).replace('T', ' ')}`
          : `came ${came.slice(0, 16).replace('T', ' ')}`,
      ].join('  '),
    )
    .join('\n')
    .concat('\n')
}
