import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { decisionKinds } from '../decisionKinds'
import { lengthOf } from '../schedule/duration'
import { judge as judgeAt, settling, type OpenAlert, type Standing } from './judge'
import { tellsText, type TellingSpec } from './kinds'
import { playRule, type StoodSpan } from './play'
import { quietBetween, quietUntil } from './quiet'
import { alertRuleSchema } from './rule'
import { messageSubject, messageText, summaryMessage } from './words'

const minute = 60_000
const t0 = Date.parse('2026-03-10T12:00:00Z')
const thing = (more: Partial<Standing> = {}): Standing => ({
  kind: 'failed',
  cause: 'failed no such table',
  job: 'gauges',
  title: 'Gauges: 3 loads failed the same way',
  text: 'no such table; make it',
  since: t0,
  ...more,
})
/** Judges by a rule, in UTC. */
const judge = (given: TellingSpec<'matters'>, _zone: 'UTC', standing: readonly Standing[], open: readonly OpenAlert[], now: number) =>
  judgeAt(given, given.quiet !== undefined && quietUntil(given.quiet, 'UTC', now) !== undefined, standing, open, now) // prettier-ignore
const rule = (more: Record<string, unknown> = {}) =>
  alertRuleSchema.parse({
    name: 'night',
    title: 'Night',
    in: ['live'],
    tells: { matters: { about: ['failed', 'late'], ...more } },
    to: [{ mail: { on: 'post', to: 'a@example.org' } }],
  }).tells.matters!

describe('a rule that tells of matters', () => {
  it('tells a cause once, whatever comes to it, and that it is over', () => {
    const first = judge(rule(), 'UTC', [thing()], [], t0)
    expect(first.tell).toMatchObject([{ what: 'new', news: { count: 1 } }])
    // another job fails by the same cause: whoever was told of one has been told of all
    const second = judge(rule(), 'UTC', [thing(), thing({ job: 'lab', title: 'Lab: 1 failed', since: t0 + minute })], first.open, t0 + minute) // prettier-ignore
    expect(second.tell).toEqual([])
    expect(second.open).toMatchObject([{ news: { count: 2, job: null, since: t0 }, toldAt: t0 }])
    const gone = judge(rule(), 'UTC', [], second.open, t0 + 2 * minute)
    expect(gone.tell).toEqual([])
    const over = judge(rule(), 'UTC', [], gone.open, t0 + minute + settling)
    expect(over).toMatchObject({ tell: [{ what: 'cleared', news: { count: 2 } }], open: [] })
  })
  it('takes what is gone for moments and comes back for one', () => {
    let { open } = judge(rule(), 'UTC', [thing()], [], t0)
    for (let i = 1; i < 20; i++) {
      const judged = judge(rule(), 'UTC', i % 3 ? [] : [thing()], open, t0 + i * minute)
      expect(judged.tell).toEqual([])
      open = judged.open
    }
  })
  it('speaks of its kinds and jobs only', () => {
    expect(judge(rule(), 'UTC', [thing({ kind: 'drift' })], [], t0).open).toEqual([])
    expect(judge(rule({ jobs: ['lab'] }), 'UTC', [thing(), thing({ job: null, cause: 'x' })], [], t0).open).toEqual([]) // prettier-ignore
    expect(judge(rule({ jobs: ['lab'] }), 'UTC', [thing({ job: 'lab' })], [], t0).tell).toHaveLength(1)
    // a rule that was changed and no longer speaks of it does not say that it is over
    const before = judge(rule(), 'UTC', [thing()], [], t0)
    expect(judge(rule({ about: ['late'] }), 'UTC', [], before.open, t0 + 60 * minute)).toEqual({ tell: [], open: [] }) // prettier-ignore
  })
  it('waits until it has stood for so long, and says nothing of what passes meanwhile', () => {
    const later = rule({ after: 'PT10M' })
    const first = judge(later, 'UTC', [thing()], [], t0)
    expect(first).toMatchObject({ tell: [], open: [{ toldAt: null }] })
    expect(judge(later, 'UTC', [], first.open, t0 + 9 * minute)).toEqual({ tell: [], open: [] })
    expect(judge(later, 'UTC', [thing()], first.open, t0 + 10 * minute).tell).toMatchObject([{ what: 'new' }])
  })
  it('says it again as often as it is to, while it stands', () => {
    const often = rule({ again: 'PT1H' })
    const first = judge(often, 'UTC', [thing()], [], t0)
    expect(judge(often, 'UTC', [thing()], first.open, t0 + 59 * minute).tell).toEqual([])
    const again = judge(often, 'UTC', [thing()], first.open, t0 + 60 * minute)
    expect(again.tell).toMatchObject([{ what: 'again' }])
    expect(judge(often, 'UTC', [thing()], again.open, t0 + 119 * minute).tell).toEqual([])
  })
  it('is silent on what people let be quiet, until then', () => {
    const hushed = thing({ quietUntil: t0 + 30 * minute })
    const first = judge(rule(), 'UTC', [hushed], [], t0)
    expect(first.tell).toEqual([])
    expect(judge(rule(), 'UTC', [hushed], first.open, t0 + 30 * minute).tell).toMatchObject([{ what: 'new' }])
    // of one cause some things are quiet and others are not
    expect(judge(rule(), 'UTC', [hushed, thing({ title: 'another' })], [], t0).tell).toHaveLength(1)
  })
  it('keeps for the end of its quiet hours what still stands then', () => {
    const nights = rule({ quiet: { from: '22:00', until: '07:00' } })
    const night = Date.parse('2026-03-10T23:30:00Z')
    const first = judge(nights, 'UTC', [thing({ since: night })], [], night)
    expect(first.tell).toEqual([])
    expect(judge(nights, 'UTC', [thing({ since: night })], first.open, Date.parse('2026-03-11T07:00:00Z')).tell).toMatchObject([{ what: 'new' }]) // prettier-ignore
    // what passes in the night is told by nobody
    expect(judge(nights, 'UTC', [], first.open, night + 20 * minute)).toEqual({ tell: [], open: [] })
    // what was told by day and passes in the night is told as over in the morning
    const told = judge(nights, 'UTC', [thing()], [], t0)
    const passed = judge(nights, 'UTC', [], told.open, night)
    expect(passed).toMatchObject({ tell: [], open: [{ toldAt: t0 }] })
    expect(judge(nights, 'UTC', [], passed.open, Date.parse('2026-03-11T07:00:00Z')).tell).toMatchObject([{ what: 'cleared' }]) // prettier-ignore
  })
})

describe('quiet hours', () => {
  const at = (text: string) => Date.parse(text)
  it('go over midnight where they end before they begin, by the clock of their zone', () => {
    const nights = { from: '22:00', until: '07:00' }
    expect(quietUntil(nights, 'Europe/Oslo', at('2026-01-10T21:00:00Z'))).toBe(at('2026-01-11T06:00:00Z'))
    expect(quietUntil(nights, 'Europe/Oslo', at('2026-01-10T20:59:59Z'))).toBeUndefined()
    expect(quietUntil(nights, 'Europe/Oslo', at('2026-01-11T05:59:59Z'))).toBe(at('2026-01-11T06:00:00Z'))
    expect(quietUntil(nights, 'Europe/Oslo', at('2026-01-11T06:00:00Z'))).toBeUndefined()
    expect(quietUntil({ from: '12:00', until: '13:00' }, 'UTC', at('2026-01-11T12:30:00Z'))).toBe(at('2026-01-11T13:00:00Z')) // prettier-ignore
  })
  it('end by the clock in a night whose clock is changed (IANA: Europe/Oslo, 29 March and 25 October 2026)', () => {
    const nights = { from: '22:00', until: '07:00' }
    expect(quietUntil(nights, 'Europe/Oslo', at('2026-03-28T22:00:00Z'))).toBe(at('2026-03-29T05:00:00Z'))
    expect(quietUntil(nights, 'Europe/Oslo', at('2026-10-24T21:00:00Z'))).toBe(at('2026-10-25T06:00:00Z'))
    // their end is left out by the clock: 02:30 does not come, and Temporal takes 03:30 for it
    expect(quietUntil({ from: '01:00', until: '02:30' }, 'Europe/Oslo', at('2026-03-29T00:30:00Z'))).toBe(at('2026-03-29T01:30:00Z')) // prettier-ignore
  })
})

describe('a rule played over a time that has gone by', () => {
  const arbitrarySpans = fc.array(
    fc.record({
      cause: fc.constantFrom('a', 'b', 'c'),
      kind: fc.constantFrom('failed' as const, 'late' as const, 'drift' as const),
      begins: fc.integer({ min: -30, max: 430 }).map((n) => n * 7),
      lasts: fc.option(fc.integer({ min: 1, max: 130 }).map((n) => n * 7)),
    }),
    { maxLength: 12 },
  )
  const arbitraryRule = fc.record({
    after: fc.option(fc.constantFrom('PT1M', 'PT10M', 'PT3H'), { nil: undefined }),
    again: fc.option(fc.constantFrom('PT5M', 'PT45M', 'PT12H'), { nil: undefined }),
    cleared: fc.boolean(),
    quiet: fc.option(fc.constantFrom({ from: '22:00', until: '06:00' }, { from: '09:00', until: '15:00' }), { nil: undefined }), // prettier-ignore
  })
  it('sends what it would have sent, had it been looked at every minute', () => {
    fc.assert(
      fc.property(arbitrarySpans, arbitraryRule, (things, more) => {
        const spans: StoodSpan[] = things.map(({ cause, kind, begins, lasts }) => ({
          ...thing({ cause, kind, title: cause, since: t0 + begins * minute }),
          until: lasts === null ? null : t0 + (begins + lasts) * minute,
        }))
        const given = rule(more)
        const until = t0 + 3000 * minute
        const quiets = given.quiet ? quietBetween(given.quiet, 'UTC', t0, until) : []
        let open: readonly OpenAlert[] = []
        const live: { at: number; said: string[] }[] = []
        for (let now = t0; now < until; now += minute) {
          const stands = spans.filter((span) => span.since <= now && (span.until ?? Infinity) > now)
          const judged = judgeAt(given, quiets.some(({ from, until: ends }) => from <= now && now < ends), stands, open, now) // prettier-ignore
          open = judged.open
          if (judged.tell.length > 0) live.push({ at: now, said: judged.tell.map(({ what, news }) => `${what} ${news.cause}`).sort() }) // prettier-ignore
        }
        const played = playRule(given, 'UTC', spans, t0, until).map(({ at, told }) => ({ at, said: told.map(({ what, news }) => `${what} ${news.cause}`).sort() })) // prettier-ignore
        // what is over is told when it has been gone for some minutes: by looks, up to one before
        const lines = (list: typeof live) => list.flatMap(({ at, said }) => said.map((word) => ({ word, at }))).sort((a, b) => (a.word < b.word ? -1 : a.word > b.word ? 1 : a.at - b.at)) // prettier-ignore
        const [a, b] = [lines(played), lines(live)]
        expect(a.map(({ word }) => word)).toEqual(b.map(({ word }) => word))
        for (const [i, { at }] of a.entries()) expect(Math.abs(at - b[i]!.at)).toBeLessThanOrEqual(minute)
      }),
      { numRuns: 150 },
    )
  })
})

describe('what a message says', () => {
  it('goes under its only matter, or under how many there are', () => {
    const { open: _open, tell } = judge(rule(), 'UTC', [thing(), thing({ cause: 'b', title: 'Lab' })], [], t0)
    expect(messageSubject('live', tell.slice(0, 1))).toBe('live: Gauges: 3 loads failed the same way')
    expect(messageSubject('live', tell)).toBe('live: 2 matters need a decision')
    expect(messageSubject('live', [{ ...tell[0]!, what: 'cleared' }])).toBe('live: over: Gauges: 3 loads failed the same way') // prettier-ignore
    expect(messageSubject('live', [tell[0]!, { ...tell[1]!, what: 'cleared' }])).toBe('live: Gauges: 3 loads failed the same way, 1 is over') // prettier-ignore
    expect(messageText({ told: tell }, 'Europe/Oslo', ['foot'])).toBe(
      'New\n- Gauges: 3 loads failed the same way\n  no such table; make it\n  since 2026-03-10 13:00 (Europe/Oslo)\n- Lab\n  no such table; make it\n  since 2026-03-10 13:00 (Europe/Oslo)\n\nfoot',
    )
  })
  it('sums the Morning sheet up', () => {
    const facts = {
      environment: 'live',
      at: t0,
      since: t0 - 18 * 60 * minute,
      done: 1200,
      failed: 2,
      rejected: 30,
    }
    const { subject, text } = summaryMessage(
      { ...facts, decisions: [{ title: 'Lab failed', text: 'mend it', givenTo: 'T. Holm' }], ahead: [{ title: 'Rain', at: t0, ends: t0 + minute, due: t0, late: true }] }, // prettier-ignore
      'UTC',
      ['foot'],
    )
    expect(subject).toBe('live: 1 matter needs a decision, 2 loads failed')
    expect(text).toContain('1,200 loads done, 2 failed, 30 rows rejected')
    expect(text).toContain('- Lab failed\n  mend it\n  T. Holm sees to it')
    expect(text).toContain('- 2026-03-10 12:00  Rain, likely done 12:01, due 12:00: will likely be late')
    const quiet = summaryMessage({ ...facts, failed: 0, decisions: [], ahead: [] }, 'UTC', [])
    expect(quiet.subject).toBe('live: nothing needs a decision')
    expect(quiet.text).toContain('Nothing begins by itself in the next 24 hours.')
  })
})

describe('the text of a rule', () => {
  const given = {
    name: 'night',
    title: 'Night',
    in: ['live'],
    tells: { matters: { about: ['failed'] } },
    to: [{ webhook: { on: 'room' } }],
  }
  const fault = (more: object) => alertRuleSchema.safeParse({ ...given, ...more }).error?.issues[0]
  it('is read, in words', () => {
    expect(tellsText(alertRuleSchema.parse(given).tells, 'UTC')).toBe('loads failed')
    expect(tellsText({ matters: { about: decisionKinds, cleared: true, after: 'PT10M', again: 'PT4H', jobs: ['a', 'b', 'c', 'd'], quiet: { from: '22:00', until: '07:00' } } }, 'Europe/Oslo')).toBe('whatever needs a decision; of a, b, c and 1 more; once it stands for 10 min; again every 4 h; quiet from 22:00 to 07:00 (Europe/Oslo)') // prettier-ignore
    expect(tellsText({ summary: { at: '30 6 * * mon-fri' } }, 'UTC')).toMatch(/^a summary, at 06:30/i)
  })
  it.each([
    [{ zone: 'Europe/Nowhere' }, 'zone'],
    [{ in: [] }, 'in'],
    [{ to: [] }, 'to'],
    [{ to: [{}] }, 'to.0'],
    [{ to: [{ mail: { on: 'post', to: 'nobody' } }] }, 'to.0.mail.to'],
    [{ to: [{ mail: { on: 'post', to: 'a@example.org\r\nBcc: b@example.org' } }] }, 'to.0.mail.to'],
    [{ tells: {} }, 'tells'],
    [{ tells: { matters: { about: [] } } }, 'tells.matters.about'],
    [{ tells: { matters: { about: ['gossip'] } } }, 'tells.matters.about.0'],
    [{ tells: { matters: { about: ['failed'], after: 'ten minutes' } } }, 'tells.matters.after'],
    [{ tells: { matters: { about: ['failed'], again: 'PT1S' } } }, 'tells.matters.again'],
    [{ tells: { matters: { about: ['failed'], again: 'P1M' } } }, 'tells.matters.again'],
    [
      { tells: { matters: { about: ['failed'], quiet: { from: '25:00', until: '07:00' } } } },
      'tells.matters.quiet.from',
    ],
    [
      { tells: { matters: { about: ['failed'], quiet: { from: '07:00', until: '07:00' } } } },
      'tells.matters.quiet',
    ],
    [{ tells: { summary: { at: '61 6 * * *' } } }, 'tells.summary.at'],
  ])('is held to what can be: %j', (more, path) => {
    expect(fault(more)?.path.join('.')).toBe(path)
  })
  it('takes lengths of hours, days and weeks; months have no length of their own (ISO 8601)', () => {
    expect(['PT30M', 'PT1H30M', 'P1D', 'P1W', 'PT0S', 'P1M', '-PT5M', 'x'].map(lengthOf)).toEqual([
      1_800_000,
      5_400_000,
      86_400_000,
      604_800_000,
      0,
      undefined,
      undefined,
      undefined,
    ])
  })
})
