import { Heap } from '../heap'
import { judge, settling, type OpenAlert, type Standing, type Told } from './judge'
import { lengthOf } from '../schedule/duration'
import type { TellingSpec } from './kinds'
import { quietBetween } from './quiet'

/** Something that needed a decision for a time; it still does where `until` is null. Milliseconds since 1970. */
export interface StoodSpan extends Standing {
  readonly until: number | null
}

/** A message that a rule sent, or would have sent. */
export interface PlayedMessage {
  readonly at: number
  readonly told: readonly Told[]
}

/**
 * What a rule would have sent over a time that has gone by, given what stood when. It is judged whenever something could
 * be told: where things begin and end, where they have stood long enough, where quiet hours end, where it is time to say it again.
 */
export function playRule(
  rule: TellingSpec<'matters'>,
  zone: string,
  spans: readonly StoodSpan[],
  from: number,
  until: number,
): PlayedMessage[] {
  const after = lengthOf(rule.after ?? 'PT0S')!
  const again = rule.again === undefined ? undefined : lengthOf(rule.again)!
  const begins = spans
    .filter((span) => span.since < until && (span.until ?? Infinity) > from)
    .sort((a, b) => a.since - b.since)
  const times = new Times()
  times.add(from)
  for (const { since, until: ended } of begins) {
    times.add(Math.max(since, from))
    times.add(Math.max(since + after, from))
    // it is seen for the last time just before it ends
    if (ended !== null) times.add(ended - 1).add(ended).add(ended - 1 + settling)
  }
  const messages: PlayedMessage[] = []
  const quiets = rule.quiet ? quietBetween(rule.quiet, zone, from, until) : []
  let quietAt = 0
  let open: readonly OpenAlert[] = []
  let standing: StoodSpan[] = []
  let taken = 0
  for (let now = times.next(); now !== undefined && now < until; now = times.next()) {
    const at = now
    while (taken < begins.length && begins[taken]!.since <= at) standing.push(begins[taken++]!)
    standing = standing.filter((span) => (span.until ?? Infinity) > at)
    while (quietAt < quiets.length && quiets[quietAt]!.until <= at) quietAt++
    const span = quiets[quietAt]
    const quiet = span !== undefined && span.from <= at
    const judged = judge(rule, quiet, standing, open, at)
    open = judged.open
    if (judged.tell.length > 0) {
      messages.push({ at, told: judged.tell })
      if (again !== undefined) times.add(at + again)
    }
    // what is kept back is told when the quiet hours end
    if (quiet && open.length > 0) times.add(span.until)
    for (const { seenAt } of open) if (seenAt < at) times.add(seenAt + settling)
  }
  return messages
} // prettier-ignore

/** Times to look at, each once, the earliest first. */
class Times {
  private readonly heap = new Heap()
  private last = -Infinity

  add(time: number): this {
    if (time > this.last) this.heap.push(time, time)
    return this
  }

  next(): number | undefined {
    while (this.heap.size > 0) {
      const first = this.heap.pop()
      if (first > this.last) return (this.last = first)
    }
    return undefined
  }
}
