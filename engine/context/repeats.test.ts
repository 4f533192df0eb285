import { expect, it, vi } from 'vitest'
import { openLog } from './logger'
import { Repeats } from './repeats'

const lines = vi.hoisted(() => [] as string[])
vi.mock('./tell', () => ({ tell: (text: string) => lines.push(text) }))

it('a cause that lasts is said at once and then by the hour, with how often it came', () => {
  let now = 0
  const repeats = new Repeats(() => now)
  const said: (number | undefined)[] = []
  // one that comes each five seconds, for two hours and a half
  for (; now < 2.5 * 3_600_000; now += 5000) {
    const again = repeats.seen('the folder cannot be read')
    if (again !== undefined) said.push(again)
  }
  expect(said).toEqual([0, 719, 719])
  expect(repeats.seen('another folder cannot be read')).toBe(0)
})

it('keeps no more in mind than it may', () => {
  const repeats = new Repeats(() => 0)
  for (let i = 0; i < 10_000; i++) expect(repeats.seen(String(i))).toBe(0)
  expect(repeats.seen('9999')).toBeUndefined()
  expect(repeats.seen('0')).toBe(0)
})

it('the log takes whatever it is given, and an error by its message', () => {
  lines.splice(0)
  const log = openLog('test')
  const circle: Record<string, unknown> = { size: 10n }
  circle.self = circle
  for (let i = 0; i < 2; i++) {
    log.error(new Error('one'))
    log.error(new Error('two'))
    log.warn({ circle }, 'three')
  }
  expect(lines).toHaveLength(3)
})

it('the log goes by it: the same of another job, run or error is another line', () => {
  lines.splice(0)
  const log = openLog('test')
  for (let i = 0; i < 5; i++) {
    log.warn({ error: new Error('no such folder'), job: 'a', attempt: i }, 'tried again')
    log.warn({ error: new Error('no such folder'), job: 'b' }, 'tried again')
    log.error('plain')
    log.child({ run: i }).warn('of a run')
  }
  log.warn({ error: new Error('no right'), job: 'a' }, 'tried again')
  const told = lines.map(
    (line) => JSON.parse(line) as { msg: string; job?: string; error?: { message: string }; run?: number },
  )
  expect(told.map(({ msg, job, error, run }) => [msg, job ?? run, error?.message])).toEqual([
    ['tried again', 'a', 'no such folder'],
    ['tried again', 'b', 'no such folder'],
    ['plain', undefined, undefined],
    ...[0, 1, 2, 3, 4].map((run) => ['of a run', run, undefined]),
    ['tried again', 'a', 'no right'],
  ])
})
