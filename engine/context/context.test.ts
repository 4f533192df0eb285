import { randomBytes } from 'node:crypto'
import fc from 'fast-check'
import { describe, expect, it, vi } from 'vitest'
import type { Engine } from './engine'
import { inBatches } from './inBatches'
import { instantText } from './instant'
import { memory } from './memory'
import { openPools } from './pools'
import { decrypt, encrypt } from './secrets'
import { transaction } from './transaction'

describe('secrets (AES-256-GCM, NIST SP 800-38D)', () => {
  const key = randomBytes(32)

  it('come out as they went in, whatever they are', () => {
    fc.assert(
      fc.property(fc.string({ unit: 'grapheme' }), (text) => {
        expect(decrypt(key, encrypt(key, text))).toBe(text)
      }),
    )
  })

  it('are sealed anew each time, so that equal secrets do not show', () => {
    expect(encrypt(key, 'same').equals(encrypt(key, 'same'))).toBe(false)
  })

  it('do not open with another key, or after any byte was changed', () => {
    const sealed = encrypt(key, 'a secret')
    expect(() => decrypt(randomBytes(32), sealed)).toThrow()
    for (let i = 0; i < sealed.length; i++) {
      const changed = Buffer.from(sealed)
      changed[i]! ^= 1
      expect(() => decrypt(key, changed)).toThrow()
    }
    expect(() => decrypt(key, sealed.subarray(0, 20))).toThrow()
  })
})

describe('memory', () => {
  const [one, two] = [{} as Engine, {} as Engine]

  it('makes a thing once, and once for each engine', async () => {
    const kept = memory<number>(10)
    const make = vi.fn(() => Promise.resolve(7))
    await Promise.all([kept.of(one, 'a', make), kept.of(one, 'a', make)])
    expect(make).toHaveBeenCalledTimes(1)
    await kept.of(two, 'a', make)
    expect(make).toHaveBeenCalledTimes(2)
  })

  it('does not remember what could not be made', async () => {
    const kept = memory<number>(10)
    await expect(kept.of(one, 'a', () => Promise.reject(new Error('away')))).rejects.toThrow('away')
    expect(await kept.of(one, 'a', () => Promise.resolve(1))).toBe(1)
  })

  it('holds no more than it may, the oldest going first', async () => {
    const kept = memory<number>(2)
    for (const n of [1, 2, 3]) kept.keep(one, n, n)
    expect(kept.all(one).map(([key]) => key)).toEqual([2, 3])
    kept.keep(one, 2, 20)
    kept.keep(one, 4, 4)
    expect(kept.all(one).map(([key]) => key)).toEqual([2, 4])
    expect(await kept.all(one)[0]![1]).toBe(20)
  })

  it('forgets after its time', async () => {
    vi.useFakeTimers({ toFake: ['performance'] })
    try {
      const kept = memory<number>(10, 2000)
      const make = vi.fn(() => Promise.resolve(1))
      await kept.of(one, 'a', make)
      vi.advanceTimersByTime(1999)
      await kept.of(one, 'a', make)
      expect(make).toHaveBeenCalledTimes(1)
      vi.advanceTimersByTime(2)
      expect(kept.all(one)).toEqual([])
      await kept.of(one, 'a', make)
      expect(make).toHaveBeenCalledTimes(2)
    } finally {
      vi.useRealTimers()
    }
  })
})

describe('work in batches', () => {
  it('does each once, never more at a time than it may', async () => {
    await fc.assert(
      fc.asyncProperty(
        fc.array(fc.integer(), { maxLength: 30 }),
        fc.integer({ min: 1, max: 5 }),
        async (items, width) => {
          let now = 0
          let most = 0
          const done: number[] = []
          await inBatches(items, width, async (item) => {
            most = Math.max(most, ++now)
            await Promise.resolve()
            now--
            done.push(item)
          })
          expect([...done].sort()).toEqual([...items].sort())
          expect(most).toBeLessThanOrEqual(width)
        },
      ),
      { numRuns: 50 },
    )
  })

  it('fails with the first that fails', async () => {
    await expect(
      inBatches([1, 2, 3], 2, (n) => (n === 2 ? Promise.reject(new Error('two')) : Promise.resolve())),
    ).rejects.toThrow('two')
  })
})

describe('an instant', () => {
  it.each([
    ['2026-11-01 00:00:00+00', '2026-11-01T00:00:00Z'],
    ['2026-11-01T01:00:00+01:00', '2026-11-01T00:00:00Z'],
    ['2026-11-01 00:00:00.5+00', '2026-11-01T00:00:00.500Z'],
  ])('%s is %s', (text, said) => expect(instantText(text)).toBe(said))
})

describe('pools', () => {
  it('are one for each address, and gone when closed', async () => {
    const pools = openPools()
    const at = { host: '127.0.0.1', port: 1, database: 'a', user: 'u' }
    expect(pools.of(at)).toBe(pools.of({ ...at }))
    expect(pools.of({ ...at, password: 'another' })).not.toBe(pools.of(at))
    expect(openPools().of(at)).not.toBe(pools.of(at))
    const before = pools.of(at)
    await pools.close()
    expect(pools.of(at)).not.toBe(before)
    await pools.close()
  })
})

describe('a transaction', () => {
  const clientOf = (fails: string[] = []) => {
    const said: string[] = []
    const client = {
      query: (text: string) => {
        said.push(text)
        return fails.includes(text) ? Promise.reject(new Error(`${text} failed`)) : Promise.resolve()
      },
      release: vi.fn(),
    }
    return { said, client, pool: { connect: () => Promise.resolve(client) } as never }
  }

  it('is kept whole', async () => {
    const { said, client, pool } = clientOf()
    expect(await transaction(pool, () => Promise.resolve(5))).toBe(5)
    expect(said).toEqual(['begin', 'commit'])
    expect(client.release).toHaveBeenCalledWith(undefined)
  })

  it('is undone whole where its work throws', async () => {
    const { said, client, pool } = clientOf()
    await expect(transaction(pool, () => Promise.reject(new Error('no')))).rejects.toThrow('no')
    expect(said).toEqual(['begin', 'rollback'])
    expect(client.release).toHaveBeenCalledWith(undefined)
  })

  it('that cannot be undone ends its client, and still says why it failed', async () => {
    const { client, pool } = clientOf(['rollback'])
    await expect(transaction(pool, () => Promise.reject(new Error('no')))).rejects.toThrow('no')
    expect(client.release).toHaveBeenCalledWith(expect.any(Error))
  })
})
