import { EventEmitter } from 'node:events'
import type { Response } from 'express'
import { FaultError } from '../core/fault'

/** Requests of one person that are answered at the same time; the store has ten connections for everybody. */
const atOnce = 6
/** Requests of one person that wait for these. A page asks for some ten things. */
const mostWaiting = 100

/** What says that it ended: an answer that is sent, or whose asker left. */
interface Closing {
  readonly closed: boolean
  readonly destroyed: boolean
  once(event: 'close', listener: () => void): unknown
}

interface Line {
  begun: number
  readonly waiting: (() => void)[]
}

/**
 * Lets each person's requests begin a few at a time, in their order, so that nobody takes all there is. A request that
 * was answered, or whose asker left, makes room for the next.
 */
export class Turns {
  private readonly lines = new Map<string, Line>()

  constructor(
    private readonly limits: { readonly atOnce: number; readonly waiting: number } = {
      atOnce,
      waiting: mostWaiting,
    },
  ) {}

  /** @throws FaultError `too-many` where too much of theirs waits already */
  async take(person: string, response: Closing): Promise<void> {
    const line = this.lines.get(person) ?? { begun: 0, waiting: [] }
    this.lines.set(person, line)
    if (line.begun >= this.limits.atOnce) {
      if (line.waiting.length >= this.limits.waiting)
        throw new FaultError({ code: 'too-many', message: `${this.limits.waiting} requests of yours wait to be answered already; ask for less at once`, where: {} }) // prettier-ignore
      const go = await new Promise<boolean>((resolve) => {
        const begin = () => resolve(true)
        line.waiting.push(begin)
        response.once('close', () => {
          const at = line.waiting.indexOf(begin)
          if (at >= 0) line.waiting.splice(at, 1)
          resolve(false)
        })
      })
      if (!go) throw new FaultError({ code: 'request', message: 'nobody waited for the answer', where: {} })
    } else line.begun++
    // one that left while it waited has closed already
    if (response.destroyed || response.closed) this.next(person, line)
    else response.once('close', () => this.next(person, line))
  }

  /** Does something short in its turn. @throws FaultError `too-many`, and what it throws */
  async within<T>(line: string, response: Response, work: () => Promise<T>): Promise<T> {
    const own = new EventEmitter()
    // it ends with the work, or with the answer that nobody waits for any more
    const left = () => own.emit('close')
    response.once('close', left)
    try {
      await this.take(line, Object.assign(own, { destroyed: false, closed: false }))
      return await work()
    } finally {
      response.off('close', left)
      left()
    }
  }

  private next(person: string, line: Line): void {
    const begin = line.waiting.shift()
    if (begin) return begin()
    line.begun--
    if (line.begun === 0) this.lines.delete(person)
  }
}
