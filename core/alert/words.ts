import { Temporal } from 'temporal-polyfill'
import type { PlayedMessage } from './play'
import type { Told } from './judge'

const headings: Readonly<Record<Told['what'], string>> = {
  new: 'New',
  again: 'Still so',
  cleared: 'Over',
}

/** A point in time (milliseconds since 1970) as the clock of a zone shows it. */
export function momentText(at: number, zone: string): string {
  const local = Temporal.Instant.fromEpochMilliseconds(Math.round(at)).toZonedDateTimeISO(zone)
  return `${local.toPlainDate().toString()} ${local.toPlainTime().toString({ smallestUnit: 'minute' })}`
}

/** The line that a message goes under. */
export function messageSubject(environment: string, told: readonly Told[]): string {
  const [first] = told
  const fresh = told.filter(({ what }) => what !== 'cleared')
  if (told.length === 1) return `${environment}: ${first!.what === 'cleared' ? 'over: ' : first!.what === 'again' ? 'still: ' : ''}${first!.news.title}`
  if (fresh.length === 0) return `${environment}: ${told.length} matters are over`
  const over = told.length - fresh.length
  return `${environment}: ${fresh.length === 1 ? fresh[0]!.news.title : `${fresh.length} matters need a decision`}${over > 0 ? `, ${over} ${over === 1 ? 'is' : 'are'} over` : ''}`
} // prettier-ignore

/** What a message says: what is new first, then what is still so, then what is over. */
export function messageText(
  { told }: Pick<PlayedMessage, 'told'>,
  zone: string,
  foot: readonly string[],
): string {
  const parts = (['new', 'again', 'cleared'] as const).flatMap((what) => {
    const list = told.filter((one) => one.what === what)
    if (list.length === 0) return []
    const lines = list.map(
      ({ news: { title, text, since } }) =>
        `- ${title}\n  ${text}\n  since ${momentText(since, zone)} (${zone})`,
    )
    return [`${headings[what]}\n${lines.join('\n')}`]
  })
  return [...parts, foot.join('\n')].filter((part) => part !== '').join('\n\n')
}

/** What stood on the Morning sheet. */
export interface SheetFacts {
  readonly environment: string
  readonly at: number
  readonly since: number
  readonly done: number
  readonly failed: number
  readonly rejected: number
  readonly decisions: readonly {
    readonly title: string
    readonly text: string
    readonly givenTo: string | null
  }[]
  readonly ahead: readonly {
    readonly title: string
    readonly at: number
    readonly ends: number | null
    readonly due: number | null
    readonly late: boolean
  }[]
}

/** Lines of what comes next that a summary holds. */
const mostAhead = 30
const most = 50

/** The Morning sheet as a mail says it. */
export function summaryMessage(facts: SheetFacts, zone: string, foot: readonly string[]): { subject: string; text: string } {
  const { environment, decisions, ahead } = facts
  const number = (value: number) => value.toLocaleString('en')
  const lines = [
    `Since ${momentText(facts.since, zone)} (${zone}): ${number(facts.done)} loads done, ${number(facts.failed)} failed, ${number(facts.rejected)} rows rejected.`,
    '',
    decisions.length === 0 ? 'Nothing needs a decision.' : 'Needs a decision',
    ...decisions.slice(0, most).map(({ title, text, givenTo }) => `- ${title}\n  ${text}${givenTo === null ? '' : `\n  ${givenTo} sees to it`}`),
    ...(decisions.length > most ? [`  and ${number(decisions.length - most)} more`] : []),
    '',
    ahead.length === 0 ? 'Nothing begins by itself in the next 24 hours.' : 'The next 24 hours',
    ...ahead
      .slice(0, mostAhead)
      .map(({ title, at, ends, due, late }) => `- ${momentText(at, zone)}  ${title}${ends === null ? '' : `, likely done ${momentText(ends, zone).slice(11)}`}${due === null ? '' : `, due ${momentText(due, zone).slice(11)}`}${late ? ': will likely be late' : ''}`),
    ...(ahead.length > mostAhead ? [`  and ${number(ahead.length - mostAhead)} more`] : []),
    '',
    ...foot,
  ]
  return {
    subject: `${environment}: ${decisions.length === 0 ? 'nothing needs a decision' : decisions.length === 1 ? '1 matter needs a decision' : `${number(decisions.length)} matters need a decision`}${facts.failed > 0 ? `, ${number(facts.failed)} loads failed` : ''}`,
    text: lines.join('\n').trim(),
  }
} // prettier-ignore
