import { parseArgs } from 'node:util'
import type { Answer } from '../contract/route'
import { routes } from '../contract/routes'
import { openApi } from './api'
import { UsageError } from './usage'
import { dataFolder } from './state'

type Survey = Answer<typeof routes.survey>

/** survey CONNECTION: looks through a connection and waits. Nothing changes unless --accept; then each dataset's rule decides. */
export async function survey(args: string[]): Promise<number> {
  const { values, positionals } = parseArgs({
    args,
    allowPositionals: true,
    options: {
      data: { type: 'string' },
      env: { type: 'string', default: process.env.MATTOCK_ENV ?? 'dev' },
      include: { type: 'string', multiple: true, default: [] },
      exclude: { type: 'string', multiple: true, default: [] },
      prefix: { type: 'string', default: '' },
      accept: { type: 'boolean', default: false },
      json: { type: 'boolean', default: false },
    },
  })
  const [connection, ...more] = positionals
  if (!connection || more.length > 0) throw new UsageError('survey takes one connection')
  const api = openApi(dataFolder(values.data))
  const scope = { include: values.include, exclude: values.exclude, prefix: values.prefix }
  let id: number
  try {
    const started = await api.call(routes.startSurvey, {
      body: { connection, environment: values.env, scope, unattended: values.accept },
    })
    id = started.survey
  } catch (error) {
    if ((error as { code?: string }).code !== 'connection') throw error
    process.stderr.write(`mattock: ${(error as Error).message}\n`)
    return 2
  }
  let found = await api.call(routes.survey, { params: { id } })
  while (found.state === 'waiting' || found.state === 'running') {
    await new Promise((resolve) => setTimeout(resolve, 150))
    found = await api.call(routes.survey, { params: { id } })
  }
  process.stdout.write(values.json ? `${JSON.stringify(found)}\n` : surveyText(found))
  return found.state === 'done' ? 0 : 1
}

function surveyText({ id, connection, environment, state, fault, proposals, same, strays }: Survey): string {
  const lines = [
    `survey ${id} of ${connection} in ${environment}: ${state}${fault ? `, ${fault}` : ''}`,
    `  ${proposals.new} new, ${proposals.changed} changed, ${proposals.gone} gone, ${same} as known; ${proposals.open} to decide`,
    ...strays.map(({ path, reason }) => `  stray  ${path}: ${reason}`),
  ]
  return `${lines.join('\n')}\n`
}
