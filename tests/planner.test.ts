import { fork } from 'node:child_process'
import { join } from 'node:path'
import { afterAll, beforeAll, expect, it } from 'vitest'
import { testBench, type TestBench } from './support/bench'

let bench: TestBench
beforeAll(async () => {
  bench = await testBench()
})
afterAll(() => bench.close())

it.each([
  ['before it is ready', 0],
  ['with an answer under way', 1],
])('a planner whose server goes away %s ends without a word', async (_when, asks) => {
  const planner = fork(join(import.meta.dirname, '../dist/main.js'), ['planner'], {
    env: { ...process.env, DATABASE_URL: bench.engine.databaseUrl, MATTOCK_DATA: bench.engine.dataFolder },
    execArgv: [],
    stdio: ['ignore', 'pipe', 'pipe', 'ipc'],
  })
  let said = ''
  planner.stderr!.on('data', (text: Buffer) => (said += text.toString()))
  const ended = new Promise<number | null>((resolve) => planner.once('exit', resolve))
  if (asks > 0) {
    await new Promise((resolve) => planner.once('message', resolve))
    // a second of reading, and an answer of several megabytes
    const text = `mattock: job/1\n${Array.from({ length: 8000 }, (_, i) => `k${i}: 1`).join('\n')}`
    for (let id = 0; id < 3; id++) planner.send({ id, kind: 'readText', given: [text] })
    await new Promise((resolve) => setTimeout(resolve, 50))
  }
  planner.disconnect()
  // of itself, or, where it is in the middle of something, by the signal that it gives itself
  expect([0, null]).toContain(await ended)
  expect(said).toBe('')
})
