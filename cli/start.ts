import { tell } from '../engine/context/tell'
import { spawn } from 'node:child_process'
import { existsSync, mkdirSync, openSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { dirname, join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { parseArgs } from 'node:util'
import { migrateDatabase } from '../database/open'
import { accounts as demoAccounts } from '../demo/seed'
import type { Health } from '../contract/health'
import { keep, type Kept } from './keep'
import { UsageError } from './usage'
import { workerEndsWithin, workerHeap, workerSilence } from './worker'
import { closeFolder, ensureDatabase, freePort, startPostgres, type OwnPostgres } from './postgres'
import { dataFolder, invitationFile, running, stateFile, type Running } from './state'

/** The project's folder: this file is built into dist/. */
export const projectFolder = join(dirname(fileURLToPath(import.meta.url)), '..')
const program = fileURLToPath(new URL('./main.js', import.meta.url))

interface Options {
  readonly demo: boolean
  readonly port: number | undefined
  readonly data: string
  readonly workers: number
  /** How many times as quick the clock of a demo runs. */
  readonly fast: number | undefined
  readonly background: boolean
  readonly json: boolean
}

function readOptions(args: string[]): Options {
  const { values } = parseArgs({
    args,
    options: {
      demo: { type: 'boolean', default: false },
      port: { type: 'string' },
      data: { type: 'string' },
      workers: { type: 'string', default: '2' },
      fast: { type: 'string' },
      background: { type: 'boolean', default: false },
      json: { type: 'boolean', default: false },
    },
  })
  const port = values.port === undefined ? undefined : Number(values.port)
  if (port !== undefined && !(Number.isInteger(port) && port >= 0 && port < 65_536))
    throw new UsageError(`--port ${values.port} is no port`)
  const workers = Number(values.workers)
  if (!(Number.isInteger(workers) && workers >= 0 && workers <= 64))
    throw new UsageError('--workers takes a number from 0 to 64')
  const fast = values.fast === undefined ? undefined : Number(values.fast)
  if (fast !== undefined && !(values.demo && fast >= 1 && fast <= 3600))
    throw new UsageError('--fast takes a number from 1 to 3600, and goes with --demo')
  return {
    demo: values.demo,
    fast,
    port,
    data: dataFolder(values.data),
    workers,
    background: values.background,
    json: values.json,
  }
}

/** What a file holds, which is then gone; undefined where there is none. */
function takeFile(file: string): string | undefined {
  if (!existsSync(file)) return undefined
  const text = readFileSync(file, 'utf8')
  rmSync(file)
  return text
}

const wait = (milliseconds: number) => new Promise((resolve) => setTimeout(resolve, milliseconds))

function announce({ url, data, accounts, first }: Running, json: boolean): void {
  if (json) {
    process.stdout.write(
      `${JSON.stringify({ url, data, ...(first ? { first } : {}), ...(accounts.length > 0 ? { accounts } : {}) })}\n`,
    )
    return
  }
  process.stdout.write(`\nMattock answers at ${url}\n`)
  if (first)
    process.stdout.write(`  make the first account at ${first}\n  the address holds once, for a week\n`)
  for (const { email, password, role } of accounts)
    process.stdout.write(`  ${role}: ${email}  password: ${password}\n`)
  process.stdout.write('\n')
}

/** It runs; whether it is well is another question. */
async function sayWhatIsWrong(url: string): Promise<void> {
  try {
    const { words } = (await (await fetch(`${url}/api/health`)).json()) as Health
    for (const line of words) process.stderr.write(`mattock: ${line}\n`)
  } catch {
    process.stderr.write(`mattock: it runs, but ${url} does not answer\n`)
  }
}

export async function start(args: string[]): Promise<number> {
  const options = readOptions(args)
  const before = running(options.data)
  if (before) {
    announce(before, options.json)
    await sayWhatIsWrong(before.url)
    return 0
  }
  mkdirSync(options.data, { recursive: true, mode: 0o700 })
  if (options.background) return await startInBackground(options)
  return await supervise(options)
}

/** Starts ourselves again, apart from this terminal, and returns when the address answers. */
async function startInBackground(options: Options): Promise<number> {
  const log = join(options.data, 'mattock.log')
  const out = openSync(log, 'a', 0o600)
  const args = ['start', '--data', options.data, '--workers', String(options.workers), '--json']
  if (options.demo) args.push('--demo')
  if (options.fast !== undefined) args.push('--fast', String(options.fast))
  if (options.port !== undefined) args.push('--port', String(options.port))
  const child = spawn(process.execPath, [program, ...args], {
    detached: true,
    stdio: ['ignore', out, out],
    cwd: projectFolder,
  })
  let ended: number | null = null
  child.on('exit', (code) => (ended = code ?? 1))
  for (let i = 0; i < 2400; i++) {
    const state = running(options.data)
    if (state) {
      child.unref()
      announce(state, options.json)
      return 0
    }
    if (ended !== null) {
      process.stderr.write(
        `mattock: it ended while starting; the end of ${log}:\n${readFileSync(log, 'utf8').slice(-2000)}\n`,
      )
      return 1
    }
    await wait(100)
  }
  process.stderr.write(`mattock: no answer within 4 minutes; see ${log}\n`)
  return 1
}

/** Postgres, server and workers, until asked to stop. A process that dies is started again. */
async function supervise(options: Options): Promise<number> {
  const { data } = options
  const ended = new Promise<void>((resolve) => {
    for (const signal of ['SIGINT', 'SIGTERM'] as const) process.on(signal, resolve)
  })
  let postgres: OwnPostgres | undefined
  const kept: Kept[] = []
  let databaseUrl = process.env.DATABASE_URL
  let near = databaseUrl
  closeFolder(data)
  if (!databaseUrl) {
    postgres = await startPostgres(join(data, 'postgres'), {}, (news) => {
      tell(news.state === 'away' ? `the database is away: ${news.reason}; it is started again\n` : 'the database is back\n') // prettier-ignore
      for (const one of kept) one.send({ database: news })
    })
    await ensureDatabase(postgres, 'mattock')
    databaseUrl = postgres.url('mattock')
    near = postgres.near('mattock')
  }
  await migrateDatabase(databaseUrl, join(projectFolder, 'database', 'migrations'))
  const demoMark = join(data, 'demo')
  if (options.demo && !existsSync(demoMark)) writeFileSync(demoMark, '', { mode: 0o600 })
  const demo = existsSync(demoMark)
  const port = options.port || (await freePort())
  const url = `http://127.0.0.1:${port}`
  const env = {
    ...process.env,
    DATABASE_URL: near,
    MATTOCK_DATA: data,
    MATTOCK_PORT: String(port),
    MATTOCK_DEMO: demo ? '1' : '',
    ...(options.fast === undefined ? {} : { MATTOCK_FAST: String(options.fast) }),
    // the demo’s stand-ins of outside services are on this machine
    ...(demo ? { MATTOCK_ALLOW_ADDRESSES: process.env.MATTOCK_ALLOW_ADDRESSES ?? '127.0.0.0/8' } : {}),
    UV_THREADPOOL_SIZE: '64',
    NODE_ENV: 'production',
  }
  const common = { program, env, cwd: projectFolder, execArgv: [`--max-old-space-size=${workerHeap}`] }
  kept.push(keep('the server', { ...common, args: ['serve'] }))
  for (let i = 1; i <= options.workers; i++)
    kept.push(keep(`worker ${i}`, { ...common, args: ['worker'], silence: workerSilence }))
  const end = async () => {
    await Promise.all(kept.map((one) => one.end(workerEndsWithin + 2000)))
    await postgres?.stop()
    rmSync(stateFile(data), { force: true })
  }
  let stopping = false
  void ended.then(() => (stopping = true))
  const answered = await waitForAnswer(url, () => stopping)
  if (answered) {
    const accounts = demo ? demoAccounts.map(({ email, password, role }) => ({ email, password, role })) : []
    const code = takeFile(invitationFile(data))
    const first = code === undefined ? {} : { first: `${url}/first#${code}` }
    const state: Running = { url, pid: process.pid, data, databaseUrl, accounts, ...first }
    writeFileSync(stateFile(data), JSON.stringify(state), { mode: 0o600 })
    announce(state, options.json)
    await ended
  }
  await end()
  return answered ? 0 : 1
}

async function waitForAnswer(url: string, given: () => boolean): Promise<boolean> {
  for (let i = 0; i < 1200 && !given(); i++) {
    try {
      const health = (await (await fetch(`${url}/api/health`)).json()) as Health
      if (health.database.ok) return true
    } catch {
      // not yet
    }
    await wait(50)
  }
  tell('the server does not answer\n')
  return false
}

export async function stop(args: string[]): Promise<number> {
  const { values } = parseArgs({ args, options: { data: { type: 'string' } } })
  const data = dataFolder(values.data)
  const state = running(data)
  if (!state) {
    process.stderr.write(`mattock: nothing runs over ${data}\n`)
    return 1
  }
  process.kill(state.pid, 'SIGTERM')
  for (let i = 0; i < 300 && running(data); i++) await wait(100)
  if (running(data)) {
    process.stderr.write('mattock: it does not end; look at its log\n')
    return 1
  }
  process.stdout.write('stopped\n')
  return 0
}
