import { randomUUID } from 'node:crypto'
import { parseArgs } from 'node:util'
import { routes } from '../contract/routes'
import type { Answer } from '../contract/route'
import { didYouMean } from '../core/expression/nearest'
import type { Row } from '../core/value'
import { hasEnded } from '../core/run/when'
import { runStates, type RunState } from '../core/runState'
import { some } from '../core/text/someOf'
import { ApiError, openApi, type Api } from './api'
import { UsageError } from './usage'
import { comparisonText, planText, runsText, runText, verifyText } from './print'
import { dataFolder } from './state'

const wrong = 2
const stopped = 3

const wait = (milliseconds: number) => new Promise((resolve) => setTimeout(resolve, milliseconds))

/** plan, run, rerun, runs, show, proof, verify: over the same API as the pages. Returns the exit code. */
export async function work(
  command: 'plan' | 'run' | 'rerun' | 'runs' | 'show' | 'proof' | 'verify',
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
      keep: { type: 'boolean', default: false },
      from: { type: 'string' },
      again: { type: 'boolean', default: false },
      anew: { type: 'boolean', default: false },
      job: { type: 'string' },
      state: { type: 'string' },
      limit: { type: 'string', default: '20' },
      compare: { type: 'string' },
      sarif: { type: 'boolean', default: false },
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
        const made = await plan(api, what!, values)
        const stops = made.findings.some(({ level }) => level === 'stop')
        const against =
          values.compare === undefined ? undefined : await compareWith(api, made, values.compare)
        if (values.sarif)
          await api.pipe(routes.planFile, { params: { id: made.id }, query: { as: 'sarif' } }, process.stdout)
        else if (values.json)
          await api.pipe(
            routes.planDocument,
            { params: { id: made.id }, query: { compare: against } },
            process.stdout,
          )
        else {
          const { loads } = await api.call(routes.planLoads, {
            params: { id: made.id },
            query: { limit: 40 },
          })
          process.stdout.write(planText(made, loads))
          if (against !== undefined)
            process.stdout.write(
              comparisonText(
                against,
                await api.call(routes.comparePlans, {
                  params: { id: made.id },
                  query: { with: against, limit: 20 },
                }),
              ),
            )
        }
        return stops ? stopped : 0
      }
      case 'run':
        return await begin(api, await plan(api, what!, values), values, say)
      case 'rerun': {
        if ([values.failed, values.from !== undefined, values.anew].filter(Boolean).length !== 1)
          throw new UsageError('rerun takes --failed, --from with a step, or --anew')
        if (values.anew) {
          const { id, loads, missing } = await api.call(routes.planAnew, { params: { id: runNumber(what!) }, body: {} }) // prettier-ignore
          if (missing.length > 0) process.stderr.write(`mattock: the job has no more: ${some(missing, 5)}\n`)
          if (loads === 0) throw new UsageError(`nothing of run ${what} is left to be done again`)
          return await begin(api, await api.call(routes.plan, { params: { id } }), values, say)
        }
        const from = values.from !== undefined ? { step: values.from } : values.keep ? { failed: true as const } : undefined // prettier-ignore
        const { run } = await api.call(routes.rerun, {
          params: { id: runNumber(what!) },
          body: { press: randomUUID(), again: values.again, from },
        })
        return await finish(api, run, values.wait, say)
      }
      case 'runs': {
        const list = await api.call(routes.runs, {
          query: {
            limit: Number(values.limit),
            job: values.job,
            state: readState(values.state),
            environment: args.some((arg) => arg.startsWith('--env')) ? values.env : undefined,
          },
        })
        say(list.runs, runsText(list.runs))
        return 0
      }
      case 'proof':
        await api.pipe(routes.proveRun, { params: { id: runNumber(what!) } }, process.stdout)
        return 0
      case 'verify': {
        const found = await api.call(routes.verifyRun, {
          params: { id: runNumber(what!) },
          query: { only: values.json ? 'all' : 'broken' },
        })
        say(found, verifyText(found))
        return found.holds ? 0 : 1
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

/** Starts a plan, where nothing in it stops that. */
async function begin(api: Api, made: PlanHead, { json, wait: waits }: { json: boolean; wait: boolean }, say: Say): Promise<number> {
  if (made.findings.some(({ level }) => level === 'stop')) {
    if (json) await api.pipe(routes.planDocument, { params: { id: made.id } }, process.stdout)
    else process.stdout.write(planText(made, []))
    return stopped
  }
  const { run } = await api.call(routes.startRun, { body: { plan: made.id, press: randomUUID() } })
  return await finish(api, run, waits, say)
} // prettier-ignore

type Say = (document: unknown, text: string) => void
type PlanHead = Answer<typeof routes.plan>
type RunDocument = Answer<typeof routes.runDocument>

function runNumber(text: string): number {
  if (!/^\d+$/.test(text)) throw new UsageError(`"${text}" is no run; it is a number`)
  return Number(text)
}

function readState(state: string | undefined): RunState | undefined {
  const known = runStates.find((one) => one === state)
  if (state !== undefined && known === undefined)
    throw new UsageError(
      `--state ${state}: ${didYouMean(state, runStates).replace(/^; /, '') || `it is one of ${runStates.join(', ')}`}`,
    )
  return known
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
): Promise<PlanHead> {
  const { id } = await api.call(routes.makePlan, {
    body: {
      job,
      environment: values.env,
      parameters: readSets(values.set),
      only: values.only,
      span: values.slices,
    },
  })
  return await api.call(routes.plan, { params: { id } })
}

/** The plan to hold another against: by its number, or the last before it in the same environment. */
async function compareWith(api: Api, made: PlanHead, which: string): Promise<number> {
  if (which !== 'last') return planNumber(which)
  const others = await api.call(routes.otherPlans, { params: { id: made.id } })
  const last = others.find(({ id, environment }) => id < made.id && environment === made.environment)
  if (!last) throw new ApiError(`${made.job} has no earlier plan in ${made.environment}`, 'unknown-name')
  return last.id
}

function planNumber(text: string): number {
  if (!/^\d+$/.test(text))
    throw new UsageError(`--compare takes the number of a plan, or last; "${text}" is neither`)
  return Number(text)
}

async function finish(api: Api, run: number, waits: boolean, say: Say): Promise<number> {
  let document = await api.call(routes.runDocument, { params: { id: run } })
  let told = false
  while (waits && !hasEnded(document.state)) {
    // whoever waits for it is to know that it waits for somebody
    if (document.state === 'held' && !told)
      process.stderr.write(`mattock: run ${run} is held; it goes on when somebody lets it\n`)
    told ||= document.state === 'held'
    await wait(150)
    document = await api.call(routes.runDocument, { params: { id: run } })
  }
  say(document, runText(document))
  return waits ? verdict(document) : 0
}

const verdict = ({ state, balance }: RunDocument): number =>
  state === 'failed' || state === 'stopped' || (state === 'done' && !balance.balanced) ? 1 : 0
