import { existsSync, mkdtempSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { removeFolder } from '../../tests/support/folder'
import type { Planner } from './asks'
import { planApart, type PlannerOptions } from './process'

// who plans is made up here: it answers, does nothing for long, stands still, or ends, as it is asked

const made = `
process.on('message', ({ id, given: [what, more] }) => {
  const say = (answer) => process.send({ id, ...answer })
  if (what === 'echo') say({ result: more })
  if (what === 'wait') setTimeout(() => say({ result: what }), more)
  if (what === 'spin') for (;;) {}
  if (what === 'end') process.exit(1)
  if (what === 'full') say({ error: { message: 'No space left on device', stack: 'at x', code: '53100' } })
  if (what === 'fault') say({ fault: { code: 'slices', message: 'no such slice', where: {} } })
})
process.send({ ready: true })
`
let folder: string
let planner: Planner
const open = (more: Partial<PlannerOptions> = {}) => {
  planner = planApart({ entry: join(folder, 'planner.mjs'), log: () => {}, ...more })
  const ask = planner.ask as (...all: unknown[]) => Promise<unknown>
  return (person: string, what: string, more?: unknown, signal?: AbortSignal) =>
    ask({ person, ...(signal ? { signal } : {}) }, 'compareStored', what, more)
}
/** What takes moments. */
const read = (person: string, what: string, more?: unknown): Promise<unknown> =>
  (planner.ask as (...all: unknown[]) => Promise<unknown>)({ person }, 'readText', what, more)
beforeEach(() => {
  folder = mkdtempSync(join(tmpdir(), 'mattock-planner-'))
  writeFileSync(join(folder, 'planner.mjs'), made)
})
afterEach(async () => {
  planner.close()
  await removeFolder(folder)
})

describe('planning apart', () => {
  it('gives what is worked out, and faults as they are', async () => {
    const ask = open()
    expect(await ask('ana', 'echo', { a: 1 })).toEqual({ a: 1 })
    await expect(ask('ana', 'fault')).rejects.toMatchObject({ fault: { code: 'slices' } })
    // the code of a database, so that whoever asked is told in words
    await expect(ask('ana', 'full')).rejects.toMatchObject({
      code: '53100',
      message: 'No space left on device',
    })
  })

  it('works for several people at once, and for one at a time', async () => {
    const ask = open()
    await Promise.all([ask('ana', 'echo'), ask('ben', 'echo')])
    const order: string[] = []
    const note = (name: string) => () => void order.push(name)
    const long = ask('ana', 'wait', 400).then(note('ana, long'))
    const short = ask('ana', 'echo').then(note('ana, short'))
    const other = ask('ben', 'wait', 50).then(note('ben'))
    await Promise.all([long, short, other])
    expect(order).toEqual(['ben', 'ana, long', 'ana, short'])
  })

  it('takes people in turn, however much one asks for', async () => {
    const ask = open({ processes: 1 })
    const order: string[] = []
    const all = Array.from({ length: 10 }, () => ask('ana', 'wait', 10).then(() => order.push('ana')))
    all.push(ask('ben', 'echo').then(() => order.push('ben')))
    await Promise.all(all)
    expect(order.indexOf('ben')).toBeLessThan(3)
  })

  it('ends what does not end, and others go on meanwhile', async () => {
    const ask = open({ within: 700 })
    const stuck = ask('ana', 'spin')
    expect(await ask('ben', 'echo', 1)).toBe(1)
    await expect(stuck).rejects.toThrow(/took longer than 0.7 s/)
    expect(await ask('ana', 'echo', 2)).toBe(2)
  })

  it('says that it ended, and begins again', async () => {
    const ask = open({ processes: 1 })
    await expect(ask('ana', 'end')).rejects.toThrow(/ended while planning/)
    expect(await ask('ana', 'echo', 3)).toBe(3)
  })

  it('asks none before it is ready, so that nothing is lost with those that end before, as while a database is away', async () => {
    // two of three end before they can be asked
    const away = `import { appendFileSync, readFileSync } from 'node:fs'
appendFileSync('${folder}/begun', 'x')
if (readFileSync('${folder}/begun', 'utf8').length < 3) setTimeout(() => process.exit(1), 100)
else { ${made} }`
    writeFileSync(join(folder, 'planner.mjs'), away)
    const said: string[] = []
    open({ processes: 1, log: (message) => said.push(message) })
    // what saves something is not begun twice, and so must not be given to one that ends
    const save = (planner.ask as (...all: unknown[]) => Promise<unknown>)(
      { person: 'ana' },
      'saveJob',
      'echo',
      4,
    )
    expect(await save).toBe(4)
    expect(said).toEqual([
      'a planner ended (1) before it could be asked; begun again in 0.25 s',
      'a planner ended (1) before it could be asked; begun again in 0.5 s',
    ])
  })

  it('says so where none becomes ready', async () => {
    writeFileSync(join(folder, 'planner.mjs'), 'process.exit(1)')
    const ask = open({ processes: 2, waits: 400 })
    await expect(ask('ana', 'echo')).rejects.toMatchObject({
      fault: { code: 'busy', message: 'The planner is restarting. Try again in a moment.' },
    })
  })

  it('does not begin what nobody waits for any more', async () => {
    const ask = open({ processes: 1 })
    const gone = new AbortController()
    const first = ask('ana', 'wait', 200)
    const second = ask('ana', 'spin', undefined, gone.signal)
    gone.abort()
    await expect(second).rejects.toThrow(/nobody waited/)
    await first
    expect(await ask('ana', 'echo', 4)).toBe(4)
  })

  it('reads a text at once, whatever plans are worked out, the asker’s own among them', async () => {
    const ask = open({ processes: 3, within: 3000 })
    const plans = ['ana', 'ben', 'cid', 'dan'].map((person) =>
      ask(person, 'spin').catch((error: Error) => error.message),
    )
    const order: string[] = []
    void Promise.race(plans).then(() => order.push('a plan'))
    await Promise.all(['ana', 'eve', 'ben'].map((person) => read(person, 'echo'))).then(() => order.push('texts')) // prettier-ignore
    await Promise.all(plans)
    expect(order).toEqual(['texts', 'a plan'])
  })

  it('ends a reading that does not end sooner than a plan', async () => {
    open({ lightWithin: 500 })
    await expect(read('ana', 'spin')).rejects.toThrow(/reading the text took longer than 0.5 s/)
  })

  it('says that it is busy where others keep it so, rather than let wait', async () => {
    const ask = open({ processes: 1, waits: 300, within: 2500 })
    const long = ask('ana', 'spin').catch(() => {})
    await expect(ask('ben', 'echo')).rejects.toMatchObject({ fault: { code: 'busy' } })
    await long
    // what was broken off begins again, sooner or later
    await vi.waitFor(() => ask('ana', 'echo'), { timeout: 30_000 })
    // whoever waits for what is their own waits for it
    const own = ask('ana', 'wait', 700)
    expect(await ask('ana', 'echo', 5)).toBe(5)
    await own
  })

  it('has one warm: what follows a process that was ended does not wait for another to begin', async () => {
    // one that takes three seconds to begin, but for the first two
    writeFileSync(
      join(folder, 'planner.mjs'),
      `import { existsSync, writeFileSync } from 'node:fs'
       const at = ['a', 'b'].find((one) => !existsSync('${folder}/' + one))
       if (at) writeFileSync('${folder}/' + at, '')
       else await new Promise((resolve) => setTimeout(resolve, 3000))
       ${made}`,
    )
    const ask = open({ processes: 1, within: 300 })
    await ask('ana', 'echo')
    await vi.waitFor(() => expect(existsSync(join(folder, 'b'))).toBe(true), { timeout: 20_000 })
    await new Promise((resolve) => setTimeout(resolve, 500))
    await expect(ask('ana', 'spin')).rejects.toThrow(/was stopped/)
    const began = performance.now()
    expect(await ask('ben', 'echo', 7)).toBe(7)
    expect(performance.now() - began).toBeLessThan(2500)
  })

  it('is ended by the processor time that it took, and not for what it waits for', async () => {
    const ask = open({ processes: 1, within: 400 })
    expect(await ask('ana', 'wait', 1500)).toBe('wait')
    await expect(ask('ana', 'spin')).rejects.toThrow(/took longer than 0.4 s/)
    await expect(ask('ana', 'wait', 20_000)).rejects.toThrow(/took longer than 0.4 s/)
  })

  it('lets whoever is patient wait for their turn, however long others take', async () => {
    planner = planApart({ entry: join(folder, 'planner.mjs'), log: () => {}, processes: 1, waits: 100 })
    const ask = planner.ask as (...all: unknown[]) => Promise<unknown>
    await ask({ person: 'ana', patient: true }, 'compareStored', 'echo', 1)
    const long = ask({ person: 'ana' }, 'compareStored', 'wait', 1000)
    const patient = ask({ person: 'run 1', patient: true }, 'compareStored', 'echo', 3)
    await expect(ask({ person: 'ben' }, 'compareStored', 'echo')).rejects.toMatchObject({ fault: { code: 'busy', message: expect.stringMatching(/^the planner is working on other plans/) as string } }) // prettier-ignore
    expect(await patient).toBe(3)
    await long
  })

  it('lets no one person fill the queue', async () => {
    const ask = open({ processes: 1 })
    const asked = Array.from({ length: 40 }, () => ask('ana', 'wait', 1).catch((error: { fault: { code: string } }) => error.fault.code)) // prettier-ignore
    const ends = await Promise.all(asked)
    expect(ends.filter((end) => end === 'busy').length).toBeGreaterThan(5)
    expect(ends.filter((end) => end === 'wait').length).toBeGreaterThan(20)
  })
})
