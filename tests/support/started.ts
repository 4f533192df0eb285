import { spawn } from 'node:child_process'
import { mkdtempSync, readFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { inject } from 'vitest'
import pg from 'pg'
import { tokenFile } from '../../cli/state'
import { removeFolder } from './folder'

const program = join(import.meta.dirname, '../../dist/main.js')

export interface Ran {
  readonly code: number
  readonly out: string
  readonly err: string
}

/** A Mattock started as a user starts it, over the tests' Postgres, in a folder of its own. */
export interface Started {
  readonly url: string
  readonly data: string
  readonly databaseUrl: string
  /** The address for the first account, where nobody has one. */
  readonly first?: string
  /** With which the command signs in. */
  readonly token: string
  /** Runs a command of ./mattock over this data folder. */
  mattock(...args: string[]): Promise<Ran>
  stop(): Promise<void>
}

export const startDemo = (name: string, history: boolean): Promise<Started> =>
  start(
    name,
    ['--demo'],
    history ? { MATTOCK_DEMO_DAYS: '5' } : { MATTOCK_NO_HISTORY: '1', MATTOCK_TODAY: '2026-11-23' },
  )

/** One with nothing in it. */
export const startPlain = (name: string): Promise<Started> => start(name, ['--port', '0'], {})

async function start(name: string, options: string[], more: Record<string, string>): Promise<Started> {
  const data = mkdtempSync(join(tmpdir(), 'mattock-started-'))
  const database = `${name}_${process.pid}`
  const admin = new pg.Client({ connectionString: inject('cluster') })
  await admin.connect()
  await admin.query(`create database ${database}`)
  await admin.end()
  const databaseUrl = Object.assign(new URL(inject('cluster')), { pathname: `/${database}` }).toString()
  // what a test sets meanwhile is seen by the commands it runs
  const env = () => ({
    ...process.env,
    DATABASE_URL: databaseUrl,
    UV_THREADPOOL_SIZE: '64',
    MATTOCK_CHECK_ANSWERS: '1',
    // nothing begins by itself while a test looks, whatever the hour
    MATTOCK_STARTS: 'off',
    ...more,
  })
  const run = (args: string[]): Promise<Ran> =>
    new Promise((resolve) => {
      const child = spawn(process.execPath, [program, ...args, '--data', data], { env: env() })
      let out = ''
      let err = ''
      child.stdout.on('data', (chunk: Buffer) => (out += chunk.toString()))
      child.stderr.on('data', (chunk: Buffer) => (err += chunk.toString()))
      // not at its exit: what it said may come after that
      child.on('close', (code) => resolve({ code: code ?? -1, out, err }))
    })
  const begun = await run(['start', ...options, '--background', '--json'])
  if (begun.code !== 0) throw new Error(begun.err)
  const { url, first } = JSON.parse(begun.out) as { url: string; first?: string }
  return {
    url,
    ...(first === undefined ? {} : { first }),
    data,
    databaseUrl,
    token: readFileSync(tokenFile(data), 'utf8').trim(),
    mattock: (...args) => run(args),
    stop: async () => {
      await run(['stop'])
      await removeFolder(data)
    },
  }
}
