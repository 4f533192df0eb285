import { EventEmitter } from 'node:events'
import { describe, expect, it } from 'vitest'
import { Turns } from './turns'

/** What a request is answered by, as far as turns look at it. */
class Answer extends EventEmitter {
  closed = false
  destroyed = false
  end() {
    this.closed = true
    this.emit('close')
  }
}
const bench = (limits?: { atOnce: number; waiting: number }) => {
  const turns = new Turns(limits)
  const begun: string[] = []
  const take = (person: string, name: string) => {
    const answer = new Answer()
    const taken = turns.take(person, answer as never).then(() => void begun.push(name))
    taken.catch(() => {})
    return { taken, end: () => answer.end() }
  }
  const settled = () => new Promise((resolve) => setImmediate(resolve))
  return { begun, take, settled }
}

describe('turns', () => {
  it('let a person’s requests begin so many at a time, in their order, and others’ beside them', async () => {
    const { begun, take, settled } = bench({ atOnce: 2, waiting: 10 })
    const [a1, , a3] = ['a1', 'a2', 'a3', 'a4'].map((name) => take('ana', name))
    take('ben', 'b1')
    await settled()
    expect(begun).toEqual(['a1', 'a2', 'b1'])
    a1!.end()
    await settled()
    expect(begun).toEqual(['a1', 'a2', 'b1', 'a3'])
    a3!.end()
    await settled()
    expect(begun).toEqual(['a1', 'a2', 'b1', 'a3', 'a4'])
  })

  it('are given up by who leaves while they wait', async () => {
    const { begun, take, settled } = bench({ atOnce: 1, waiting: 10 })
    const first = take('ana', 'first')
    const left = take('ana', 'left')
    take('ana', 'last')
    left.end()
    await expect(left.taken).rejects.toThrow(/nobody waited/)
    first.end()
    await settled()
    expect(begun).toEqual(['first', 'last'])
  })

  it('are not lost by one that ends in the same moment as its turn comes', async () => {
    const { begun, take, settled } = bench({ atOnce: 1, waiting: 10 })
    const first = take('ana', 'first')
    const second = take('ana', 'second')
    take('ana', 'third')
    await settled()
    first.end()
    second.end()
    await settled()
    await settled()
    expect(begun.at(-1)).toBe('third')
  })

  it('are given back as soon as what was to be done in them is done, or fails', async () => {
    const turns = new Turns({ atOnce: 1, waiting: 10 })
    const answer = new Answer() as never
    const order: number[] = []
    const all = [1, 2, 3].map((n) => turns.within('ana', answer, async () => {
      await new Promise((resolve) => setTimeout(resolve, 10))
      order.push(n)
      if (n === 2) throw new Error('it went wrong')
      return n
    })) // prettier-ignore
    expect((await Promise.allSettled(all)).map(({ status }) => status)).toEqual(['fulfilled', 'rejected', 'fulfilled']) // prettier-ignore
    expect(order).toEqual([1, 2, 3])
    await turns.take('ana', answer)
  })

  it('are refused where too many wait', async () => {
    const { take } = bench({ atOnce: 1, waiting: 2 })
    for (const name of ['a', 'b', 'c']) take('ana', name)
    await expect(take('ana', 'd').taken).rejects.toMatchObject({ fault: { code: 'too-many' } })
  })
})
