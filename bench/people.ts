import { execFile } from 'node:child_process'
import { mkdtempSync, readFileSync, rmSync } from 'node:fs'
import { connect } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { account } from '../database/schema'
import { openEngine } from '../engine/context/engine'
import { makeToken } from '../server/auth'

/**
 * Fifty people's pages for 30 s while runs go on: no answer is a fault, and of the times of answers the 95th of a hundred
 * is at most 1.5 times that of one person on a quiet server, plus 300 ms. Five hundred streams are open meanwhile, and ten
 * who ask for much and read nothing.
 */
const people = 50
const seconds = Number(process.env.BENCH_SECONDS ?? 30)
const data = mkdtempSync(join(tmpdir(), 'mattock-people-'))
const program = join(import.meta.dirname, '../dist/main.js')
const pause = (ms: number) => new Promise((resolve) => setTimeout(resolve, ms))
const mattock = (...args: string[]) =>
  new Promise<string>((resolve, reject) => {
    const env = { ...process.env, UV_THREADPOOL_SIZE: '64', MATTOCK_NO_HISTORY: '1', MATTOCK_TODAY: '2026-11-23' }
    execFile(process.execPath, [program, ...args, '--data', data], { env, maxBuffer: 2 ** 26 }, (error, out, err) =>
      error && Number(error.code) !== 1 ? reject(new Error(err)) : resolve(out),
    )
  }) // prettier-ignore

const { url } = JSON.parse(await mattock('start', '--demo', '--port', '0', '--background', '--json')) as { url: string } // prettier-ignore
try {
  const state = JSON.parse(readFileSync(join(data, 'running.json'), 'utf8')) as {
    pid: number
    databaseUrl: string
  }
  const engine = await openEngine(state.databaseUrl, data)
  const tokens: string[] = []
  for (let i = 0; i < people; i++) {
    const [made] = await engine.db
      .insert(account)
      .values({ email: `person${i}@ostrel.example`, name: `person ${i}`, role: 'engineer', password: '-' })
      .returning()
    tokens.push(await makeToken(engine, made!.id, 'bench'))
  }
  await engine.close()

  const faults = new Map<string, number>()
  const ask = async (token: string, path: string): Promise<number> => {
    const begun = performance.now()
    const answer = await fetch(url + path, { headers: { authorization: `Bearer ${token}` } })
    await answer.text()
    if (!answer.ok) faults.set(`${answer.status} ${path}`, (faults.get(`${answer.status} ${path}`) ?? 0) + 1)
    return performance.now() - begun
  }
  const newest = async () => {
    const answer = await fetch(`${url}/api/runs?limit=1`, {
      headers: { authorization: `Bearer ${tokens[0]}` },
    })
    return ((await answer.json()) as { runs: { id: number }[] }).runs[0]!.id
  }
  let run = 0
  /** What the pages of the application ask for. */
  const pages = (): string[][] => [
    ['/api/session', '/api/jobs'],
    ['/api/morning?environment=dev', '/api/runs?limit=50'],
    ['/api/jobs/gauge-readings', '/api/runs?job=gauge-readings&limit=20'],
    ['/api/datasets?environment=dev&limit=100', '/api/catalog/facets?environment=dev'],
    run ? [`/api/runs/${run}`, `/api/runs/${run}/loads?limit=100`] : ['/api/runs?limit=50'],
    ['/api/connections?environment=dev'],
  ]
  /** Somebody who opens a page, looks at it for some seconds, and opens the next. */
  const person = async (token: string, until: number, times: number[]) => {
    await pause(Math.random() * 3000)
    while (Date.now() < until) {
      const page = pages()[Math.floor(Math.random() * pages().length)]!
      times.push(...(await Promise.all(page.map((path) => ask(token, path)))))
      await pause(1500 + Math.random() * 3000)
    }
  }
  const p95 = (times: number[]) => times.sort((a, b) => a - b)[Math.floor(times.length * 0.95)] ?? NaN

  const plan = async () => {
    await mattock('run', 'gauge-readings', '--env', 'dev', '--json').catch(() => {})
    run = await newest()
  }
  await plan()
  const quiet: number[] = []
  for (let i = 0; i < 6; i++)
    for (const page of pages()) quiet.push(...(await Promise.all(page.map((path) => ask(tokens[0]!, path)))))

  const memory = () => Number(/VmRSS:\s+(\d+)/.exec(readFileSync(`/proc/${server}/status`, 'utf8'))?.[1]) / 1024 // prettier-ignore
  const server = Number(readFileSync(`/proc/${state.pid}/task/${state.pid}/children`, 'utf8').split(' ').find((pid) => pid && readFileSync(`/proc/${pid}/cmdline`, 'utf8').includes('\0serve'))) // prettier-ignore
  const before = memory()
  const streams = await Promise.all(
    Array.from({ length: 500 }, (_, i) =>
      fetch(`${url}/api/events`, { headers: { authorization: `Bearer ${tokens[i % people]!}` } }),
    ),
  )
  const refused = streams.filter(({ status }) => status !== 200).length
  let heard = 0
  const reading = streams.map(async ({ body }) => {
    for await (const piece of body as unknown as AsyncIterable<Uint8Array>) heard += piece.length > 0 ? 1 : 0
  })
  for (const one of reading) one.catch(() => {})
  const address = new URL(url)
  const deaf = Array.from({ length: 10 }, (_, i) => {
    const socket = connect(Number(address.port), address.hostname)
    socket.pause()
    socket.on('error', () => {})
    for (let n = 0; n < 8; n++) socket.write(`GET /api/runs/${run}/show HTTP/1.1\r\nHost: ${address.host}\r\nAuthorization: Bearer ${tokens[i]!}\r\n\r\n`) // prettier-ignore
    return socket
  })
  const until = Date.now() + seconds * 1000
  const busy: number[] = []
  const runs = (async () => {
    let count = 0
    while (Date.now() < until - 5000) {
      await plan()
      count++
    }
    return count
  })()
  // those who read nothing hold their own turns only: they are ten others
  await Promise.all(tokens.slice(10).concat(tokens.slice(10, 20)).map((token) => person(token, until, busy))) // prettier-ignore
  const count = await runs
  const [one, many] = [p95(quiet), p95(busy)]
  const bound = one * 1.5 + 300
  console.log(
    `${people} people for ${seconds} s beside ${count} runs, ${500 - refused} streams (${heard} events) and 10 who read nothing: ${busy.length} answers, ${[...faults.values()].reduce((sum, n) => sum + n, 0)} faults; p95 ${many.toFixed(0)} ms, of one person on a quiet server ${one.toFixed(0)} ms (asked ${bound.toFixed(0)}); the server's memory ${before.toFixed(0)} to ${memory().toFixed(0)} MB`,
  )
  for (const [what, times] of faults) console.log(`  ${times} × ${what}`)
  for (const socket of deaf) socket.destroy()
  if (faults.size > 0 || refused > 0 || many > bound) process.exitCode = 1
} finally {
  await mattock('stop')
  rmSync(data, { recursive: true, force: true })
}
process.exit()
