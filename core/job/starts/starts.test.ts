import { describe, expect, it } from 'vitest'
import { parseJob } from '../parse'
import { startConcern, startText, startTimes, type Start } from '.'

const read = (starts: string, more = '') =>
  parseJob(`mattock: job/1\nname: one\ntitle: One\n${more}starts:\n${starts}\nparts:\n  - once:\n      - {id: a, log: {text: hello}}\n`) // prettier-ignore
const slices = 'slices: {every: PT1H, zone: Europe/Oslo, from: 2026-01-01}\n'
const start = (text: string, more = ''): Start => {
  const { job, faults } = read(`  - ${text}`, more)
  if (!job) throw new Error(JSON.stringify(faults))
  return job.starts[0]!
}

describe('starts in a document', () => {
  it.each([
    [`{id: a, clock: {cron: '30 5 * * mon-fri'}}`, '', 'at 05:30, Monday through Friday'],
    ['{id: a, slice: {later: PT30M}}', slices, 'every hour, 30 minutes after it is over'],
    ['{id: a, ended: {job: other}}', '', 'when other is done'],
    ['{id: a, ended: {job: other, as: failed}}', '', 'when other failed or was stopped'],
    ['{id: a, refreshed: {}}', '', 'when all that it reads were refreshed'],
    ['{id: a, refreshed: {of: [w.raw.flow]}}', '', 'when w.raw.flow was refreshed'],
    ['{id: a, refreshed: {wait_for: any, of: [w.a, w.b]}}', '', 'when any of 2 datasets was refreshed'],
    ['{id: a, called: {}}', '', 'when a signed web call comes'],
    ['{id: a, arrived: {}}', slices, 'when all files of a slice are there'],
    [
      '{id: a, arrived: {latest: PT6H}}',
      slices,
      'when all files of a slice are there, or 6 h after it is over',
    ],
    ['{id: a, arrived: {wait_for: each}}', slices, 'for each file that it expects, when it comes'],
    ['{id: a, arrived: {wait_for: quiet}}', slices, 'when files came, and no more for 10 min'],
    ['{id: a, arrived: {wait_for: quiet, quiet: PT30S}}', slices, 'when files came, and no more for 30 s'],
  ])('%s is said in words', (text, more, words) => {
    const { job } = read(`  - ${text}`, more)
    expect(startText(job!.starts[0]!, job!).replace('each hour', 'every hour')).toBe(words)
  })
  it.each([
    [`{id: a, clock: {cron: '61 * * * *'}}`, '"61" is no minute', 'starts.0.clock.cron'],
    [`{id: a, clock: {cron: '0 5 * * *', zone: Mars/Olympus}}`, 'no time zone', 'starts.0.clock.zone'],
    ['{id: a, slice: {}}', 'no slices', 'starts.0.slice'],
    ['{id: a, arrived: {}}', 'no slices', 'starts.0.arrived'],
    [
      '{id: a, arrived: {wait_for: quiet, quiet: P1M}}',
      'ISO 8601 duration from PT5S',
      'starts.0.arrived.quiet',
    ],
    ['{id: a, ended: {job: one}}', 'start itself', 'starts.0.ended.job'],
    ['{id: a}', 'a start is one of', 'starts.0'],
    [`{id: a, clock: {cron: '0 5 * * *'}, parameters: {x: 1}}`, 'no parameter "x"', 'starts.0.parameters.x'],
    [`{id: a, clock: {cron: '0 5 * * *'}}\n  - {id: a, clock: {cron: '0 6 * * *'}}`, 'a second start', 'starts.1.id'], // prettier-ignore
  ])('%s: %s', (text, message, path) => {
    const { job, faults } = read(`  - ${text}`)
    expect(job).toBeUndefined()
    expect(faults[0]!.message).toContain(message)
    expect(faults[0]!.where.path).toBe(path)
    expect(faults[0]!.where.line).toBeGreaterThan(4)
  })
  it('slices that cannot be cut are told, where something is to begin by them', () => {
    const broken = 'slices: {every: P1D, zone: Europe/Oslo, from: 2026-01-01, grace: soon}\n'
    const { job, faults } = read('  - {id: a, slice: {}}', broken)
    expect(job).toBeUndefined()
    expect(faults[0]).toMatchObject({ message: expect.stringContaining('"soon" is no ISO 8601 duration'), where: { path: 'slices.grace', line: 4 } })
    expect(read('  - {id: a, slice: {}}', broken.replace('P1D', 'daily')).faults[0]!.where.path).toBe('slices.every')
  }) // prettier-ignore
  it('those of slices wait longer where they say so', () => {
    const job = read('  - {id: a, slice: {later: PT30M}}', slices).job!
    const after = Date.parse('2026-11-25T12:00:00Z')
    const found = startTimes(job.starts[0]!, job, after, after + 3_600_000)
    expect(found.map(({ at }) => new Date(at).toISOString())).toEqual(['2026-11-25T12:30:00.000Z'])
    expect(found[0]!.slice!.to).toBe('2026-11-25T12:00:00Z')
  })
  it('takes from what happened what concerns it', () => {
    const done = { job: 'other', run: 1, state: 'done', refreshed: ['w.a'] } as const
    expect(startConcern(start('{id: a, ended: {job: other}}'), done, [])).toEqual({ all: false })
    expect(startConcern(start('{id: a, ended: {job: other, as: failed}}'), done, [])).toBeUndefined()
    expect(startConcern(start('{id: a, ended: {job: else}}'), done, [])).toBeUndefined()
    expect(startConcern(start('{id: a, refreshed: {}}'), done, ['w.a', 'w.b'])).toEqual({ all: true, of: ['w.a', 'w.b'], came: ['w.a'] }) // prettier-ignore
    expect(startConcern(start('{id: a, refreshed: {}}'), done, [])).toBeUndefined()
    expect(startConcern(start(`{id: a, clock: {cron: '0 5 * * *'}}`), done, [])).toBeUndefined()
  })
})
