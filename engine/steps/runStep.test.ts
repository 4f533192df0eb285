import { beforeEach, describe, expect, it, vi } from 'vitest'
import { FaultError } from '../../core/fault'
import { nothingWritten, recorded, stepFault, type Outcome, type StepContext } from '../context/step'
import { runStep, type StepFrame } from './runStep'

// what a kind of step does is made up here: the order, the pauses and the record are what is looked at
const run = vi.hoisted(() => vi.fn<(context: StepContext) => Promise<Outcome>>())
vi.mock('./index', () => ({ runnerOf: () => ({ runner: { run }, spec: {} }) }))

const step = { id: 'load', log: { text: 'x' } } as never
const warn = vi.fn()
const frame = {
  zone: 'UTC',
  signal: new AbortController().signal,
  logger: { warn },
  engine: { limits: { pause: 1 } },
} as unknown as StepFrame
const texts = { planned: [], bindings: () => ({}) }
const passing = () => Object.assign(new Error('the server went away'), { code: '57P01' })

/** Runs the step while its pauses pass at once. */
async function ran(at: StepFrame = frame) {
  const end = runStep(at, step, texts)
  await vi.runAllTimersAsync()
  return await end
}

beforeEach(() => {
  run.mockReset()
  warn.mockReset()
  vi.useFakeTimers()
  return () => void vi.useRealTimers()
})

describe('a step', () => {
  it('is tried again after a fault that may pass, and its record keeps what every attempt did', async () => {
    run.mockImplementationOnce(({ outcome }) => {
      outcome.log.push('first line')
      outcome.statements.push({ on: 'books', text: 'select 1', milliseconds: 1, error: 'went away' })
      outcome.counts = { ...outcome.counts, read: 7 }
      throw passing()
    })
    run.mockImplementationOnce(({ outcome }) => {
      outcome.log.push('second line')
      outcome.statements.push({ on: 'books', text: 'select 2', milliseconds: 1, rows: 1 })
      outcome.counts = { ...outcome.counts, read: 3 }
      return Promise.resolve(outcome)
    })
    const { outcome, error } = await ran()
    expect(error).toBeUndefined()
    expect(outcome.log).toEqual(['first line', 'the server went away; tried again', 'second line'])
    expect(outcome.statements.map(({ text }) => text)).toEqual(['select 1', 'select 2'])
    // rows of an attempt that was rolled back are not counted
    expect(outcome.counts.read).toBe(3)
  })

  it('is given up after four pauses, with every attempt in its log', async () => {
    run.mockRejectedValue(passing())
    const { outcome, error } = await ran()
    expect(run).toHaveBeenCalledTimes(5)
    expect(outcome.log).toEqual(Array(4).fill('the server went away; tried again'))
    expect(warn.mock.calls.map(([said]) => (said as { attempt: number }).attempt)).toEqual([0, 1, 2, 3])
    expect(error).toMatchObject({ code: '57P01', effect: nothingWritten })
  })

  it('is not tried again after a fault that stays', async () => {
    run.mockRejectedValue(Object.assign(new Error('permission denied for table t'), { code: '42501' }))
    const { error } = await ran()
    expect(run).toHaveBeenCalledTimes(1)
    expect(error?.advice).toMatch(/give the connection’s user the right/)
  })

  it('says what the step itself found wrong, in its words', async () => {
    run.mockImplementation(() => stepFault('rows', '3 rows have no key', 'mend the rows'))
    expect((await ran()).error).toEqual({
      code: 'rows',
      message: '3 rows have no key',
      effect: nothingWritten,
      advice: 'mend the rows',
    })
  })

  it('is tried again where what failed wraps a fault that may pass', async () => {
    run.mockRejectedValueOnce(
      new Error('Failed query', { cause: new Error('wrapped', { cause: passing() }) }),
    )
    run.mockRejectedValueOnce(
      new FaultError({ code: 'busy', message: 'The planner is restarting.', where: {} }),
    )
    run.mockImplementationOnce(({ outcome }) => Promise.resolve(outcome))
    expect((await ran()).error).toBeUndefined()
    expect(run).toHaveBeenCalledTimes(3)
    const round = new Error('a circle')
    round.cause = round
    run.mockRejectedValueOnce(round)
    expect((await ran()).error?.message).toBe('a circle')
  })

  it('that took too long is tried again where it says how often it is tried', async () => {
    run.mockImplementation(
      ({ signal }) =>
        new Promise((_, reject) => signal.addEventListener('abort', () => reject(new Error('cancelled')))),
    )
    const timed = (more: object) => ({ id: 'load', log: { text: 'x' }, timeout: 'PT0.05S', ...more }) as never
    vi.useRealTimers()
    const end = async (of: never) => (await runStep(frame, of, texts)).error
    const message = 'step load took longer than its timeout of PT0.05S'
    expect(await end(timed({ tries: 3 }))).toMatchObject({ code: 'too-long', message })
    expect(run).toHaveBeenCalledTimes(3)
    run.mockClear()
    expect(await end(timed({}))).toMatchObject({ code: 'too-long', message })
    expect(run).toHaveBeenCalledTimes(1)
  })

  it('is stopped, not failed, where the load was stopped meanwhile', async () => {
    const stopping = new AbortController()
    run.mockImplementation(() => {
      stopping.abort()
      throw passing()
    })
    expect((await ran({ ...frame, signal: stopping.signal })).error?.code).toBe('stopped')
    expect(run).toHaveBeenCalledTimes(1)
  })
})

describe('a statement', () => {
  it('that failed is in the record too, with what the server said', async () => {
    const outcome = { statements: [] as unknown[] } as unknown as Outcome
    const client = { query: () => Promise.reject(new Error('relation "t" does not exist')) } as never
    await expect(recorded(client, outcome, 'books', 'select * from t where a = $1', [4])).rejects.toThrow()
    expect(outcome.statements).toEqual([
      {
        on: 'books',
        text: 'select * from t where a = $1',
        values: [4],
        error: 'relation "t" does not exist',
        milliseconds: expect.any(Number) as number,
      },
    ])
  })
})
