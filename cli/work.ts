import { parseArgs } from 'node:util'
import { routes } from '../contract/routes'
import type { Answer } from '../contract/route'
import type { Row } from '../core/value'
import { openApi, type Api } from './api'
import { UsageError } from './main'
import { planText, runsText, runText } from './print'
import { dataFolder } from './state'

const wrong = 2
const stopped = 3

const wait = (milliseconds: number) => new Promise((resolve) => setTimeout(resolve, milliseconds))

/** plan, run, rerun, runs, show: over the same API as the pages. Returns the exit code. */
export async function work(
  command: 'plan' | 'run' | 'rerun' | 'runs' | 'show',
  args: string[],
): Promise<number> {
  const { values, positionals } = parseArgs({
    args,
    allowPositionals: true,
    options: {
      data: { type: 'string' },
      env: { type: 'string', default: process.env.MATTOCK_ENV ?? 'dev' },
      slices: { type: 'string' },
      set: { type: 'string', multiple: true, default: [] },
      only: { type: 'string' },
      json: { type: 'boolean', default: false },
      wait: { type: 'boolean', default: false },
      failed: { type: 'boolean', default: false },
      job: { type: 'string' },
      state: { type: 'string' },
      limit: { type: 'string', default: '20' },
    },
  })
  const api = openApi(dataFolder(values.data))
  const say = (document: unknown, text: string) =>
    process.stdout.write(values.json ? `${JSON.stringify(document)}\n` : text)
  const [what] = positionals
  if (command !== 'runs' && (!what || positionals.length > 1))
    throw new UsageError(`${command} takes one ${command === 'plan' || command === 'run' ? 'job' : 'run'}`)
  try {
    switch (command) {
      case 'plan': {
        const { document } = await plan(api, what!, values)
        say(document, planText(document))
        return hasStop(document) ? stopped : 0
      }
      case 'run': {
        const { id, document } = await plan(api, what!, values)
        if (hasStop(document)) {
          say(document, planText(document))
          return stopped
        }
        const { run } = await api.call(routes.startRun, { body: { plan: id } })
        return await finish(api, run, values.wait, say)
      }
      case 'rerun': {
        if (!values.failed) throw new UsageError('rerun takes --failed')
        const { run } = await api.call(routes.rerun, { params: { id: runNumber(what!) }, body: {} })
        return await finish(api, run, values.wait, say)
      }
      case 'runs': {
        const list = await api.call(routes.runs, {
          query: {
            limit: Number(values.limit),
            job: values.job,
            state: values.state,
            environment: args.some((arg) => arg.startsWith('--env')) ? values.env : undefined,
          },
        })
        say(list.runs, runsText(list.runs))
        return 0
      }
      case 'show': {
        const document = await api.call(routes.showDocument, { params: { id: runNumber(what!) } })
        say(document, runText(document))
        return verdict(document)
      }
    }
  } catch (error) {
    const code = (error as { code?: string }).code
    if (code === 'unknown-name' || code === 'slices' || code === 'request') {
      process.stderr.write(`mattock: ${(error as Error).message}\n`)
      return wrong
    }
    if (code === 'plan-stops') {
      process.stderr.write(`mattock: ${(error as Error).message}\n`)
      return stopped
    }
    throw error
  }
}

type PlanDocument = Answer<typeof routes.planDocument>
type RunDocument = Answer<typeof routes.runDocument>

const hasStop = (document: PlanDocument): boolean => document.findings.some(({ level }) => level === 'stop')

function runNumber(text: string): number {
  if (!/^\d+$/.test(text)) throw new UsageError(`"${text}" is no run; it is a number`)
  return Number(text)
}

function readSets(sets: readonly string[]): Row {
  return Object.fromEntries(
    sets.map((set) => {
      const at = set.indexOf('=')
      if (at < 1) throw new UsageError(`--set ${set}: write name=value`)
      return [set.slice(0, at), set.slice(at + 1)]
    }),
  )
}

async function plan(
  api: Api,
  job: string,
  values: { env: string; slices?: string | undefined; set: string[]; only?: string | undefined },
): Promise<{ id: number; document: PlanDocument }> {
  const { id } = await api.call(routes.makePlan, {
    body: {
      job,
      environment: values.env,
      parameters: readSets(values.set),
      only: values.only,
      span: values.slices,
    },
  })
  return { id, document: await api.call(routes.planDocument, { params: { id } }) }
}

async function finish(
  api: Api,
  run: number,
  waits: boolean,
  say: (document: unknown, text: string) => void,
): Promise<number> {
  let document = await api.call(routes.runDocument, { params: { id: run } })
  while (waits && document.state === 'running') {
    await wait(150)
    document = await api.call(routes.runDocument, { params: { id: run } })
  }
  say(document, runText(document))
  return waits ? verdict(document) : 0
}

const verdict = ({ state, balance }: RunDocument): number =>
  state === 'failed' || state === 'stopped' || (state === 'done' && !balance.balanced) ? 1 : 0
