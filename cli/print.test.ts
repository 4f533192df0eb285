import { mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterEach, describe, expect, it } from 'vitest'
import { planText, runsText, runText } from './print'
import { dataFolder, running, stateFile } from './state'

const plan = (more: object = {}) =>
  ({
    job: 'gauge-readings',
    environment: 'dev',
    id: 70,
    loads: 3,
    findings: [],
    forecast: null,
    ...more,
  }) as never
const loads = [{ key: 'flow_corrie · 2026-11-23', cells: ['flow', 'raw.flow'] }] as never

describe('a plan in a terminal', () => {
  it('says what is found before what is to be done', () => {
    const findings = [{ level: 'stop', code: 'target-clash', message: 'two loads write raw.flow' }]
    const forecast = { seconds: 72.4, low: 60, high: 90.6 }
    expect(planText(plan({ findings, forecast }), loads)).toBe(
      [
        'gauge-readings in dev, plan 70: 3 loads',
        'stop  target-clash       two loads write raw.flow',
        'likely 72 s (60 to 91 s)',
        '  flow_corrie · 2026-11-23  flow  raw.flow',
        '  and 2 more; --json lists them all',
        '',
      ].join('\n'),
    )
  })

  it('does not speak of more where there is none', () => {
    expect(planText(plan({ loads: 1 }), loads)).not.toContain('more')
    expect(planText(plan(), [])).toBe('gauge-readings in dev, plan 70: 3 loads\n')
  })
})

describe('a run in a terminal', () => {
  const balance = { read: 1200, written: 1000, unchanged: 150, rejected: 50, filtered: 0, merged: 0 }
  const document = (more: object = {}) =>
    ({
      run: 9,
      job: 'x',
      environment: 'dev',
      state: 'done',
      loads: { done: 12, failed: 0, running: 0 },
      ...more,
    }) as never

  it('is its balance, as a sum', () => {
    expect(runText(document({ balance: { ...balance, balanced: true } }))).toBe(
      'run 9 of x in dev: done (12 done)\n1,200 read = 1,000 written + 150 unchanged + 50 rejected + 0 filtered\n',
    )
  })

  it('says aloud where it does not hold', () => {
    expect(runText(document({ balance: { ...balance, written: 999, balanced: false } }))).toContain(
      'DOES NOT BALANCE',
    )
  })

  it('is a line in a list', () => {
    const run = {
      id: 9,
      state: 'done',
      createdAt: '2026-11-24T03:10:00.000Z',
      environment: 'dev',
      job: 'x',
      counts: balance,
    }
    expect(runsText([run] as never)).toBe(
      '     9  done      2026-11-24 03:10  dev       x  1,000 rows written\n',
    )
  })
})

describe('a running Mattock', () => {
  const folder = mkdtempSync(join(tmpdir(), 'mattock-state-'))
  afterEach(() => rmSync(stateFile(folder), { force: true }))
  const state = (pid: number) =>
    writeFileSync(
      stateFile(folder),
      JSON.stringify({ url: 'http://x', pid, data: folder, databaseUrl: '', accounts: [] }),
    )

  it('is found by what it left in its folder, while its process lives', () => {
    expect(running(folder)).toBeUndefined()
    state(process.pid)
    expect(running(folder)?.url).toBe('http://x')
    // no process has this number: the largest is 2^22 on 64-bit Linux (proc(5))
    state(2 ** 22 + 1)
    expect(running(folder)).toBeUndefined()
  })

  it('is none where the note is half written', () => {
    writeFileSync(stateFile(folder), '{"url": "http')
    expect(running(folder)).toBeUndefined()
  })

  it('lies where it is told, or where it is set, or here', () => {
    expect(dataFolder('/a/b')).toBe('/a/b')
    const before = process.env.MATTOCK_DATA
    process.env.MATTOCK_DATA = '/set'
    expect(dataFolder(undefined)).toBe('/set')
    delete process.env.MATTOCK_DATA
    expect(dataFolder(undefined)).toBe(join(process.cwd(), '.mattock'))
    if (before !== undefined) process.env.MATTOCK_DATA = before
  })
})
