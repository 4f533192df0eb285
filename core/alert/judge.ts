import type { DecisionKind } from '../decisionKinds'
import { groupBy } from '../group'
import { lengthOf } from '../schedule/duration'
import type { TellingSpec } from './kinds'

/** Something that needs a decision, as alerts see it. Times are milliseconds since 1970. */
export interface Standing {
  readonly kind: DecisionKind
  /** What lies behind it: things of one cause are one alert. */
  readonly cause: string
  readonly job: string | null
  readonly title: string
  readonly text: string
  readonly since: number
  /** Somebody said that nobody is to see it before. */
  readonly quietUntil?: number | undefined
}

/** What is said of one cause. */
export interface News {
  readonly cause: string
  readonly kind: DecisionKind
  readonly job: string | null
  readonly title: string
  readonly text: string
  /** How many things of this cause there are. */
  readonly count: number
  readonly since: number
}

/** A cause that stands, or did a moment ago, under a rule. */
export interface OpenAlert {
  readonly news: News
  /** When it was last seen. */
  readonly seenAt: number
  /** When it was last told; null where nobody was told yet. */
  readonly toldAt: number | null
}

export interface Told {
  readonly what: 'new' | 'again' | 'cleared'
  readonly news: News
}

export interface Judged {
  /** What is told now: all of it in one message. */
  readonly tell: readonly Told[]
  /** How it stands afterwards. */
  readonly open: readonly OpenAlert[]
}

/** Milliseconds that a cause must be gone before it is over: what flickers is one alert. */
export const settling = 5 * 60_000

/**
 * What a rule tells at a time, given what stands and what stood under it before: each cause once, again as the rule says,
 * and that it is over. In quiet hours nothing is told; what still stands at their end is told then.
 * @param quiet is it within the quiet hours of the rule
 */
export function judge(
  rule: TellingSpec<'matters'>,
  quiet: boolean,
  standing: readonly Standing[],
  open: readonly OpenAlert[],
  now: number,
): Judged {
  const after = lengthOf(rule.after ?? 'PT0S')!
  const again = rule.again === undefined ? Infinity : lengthOf(rule.again)!
  const before = new Map(open.filter(({ news }) => concerns(rule, news)).map((one) => [one.news.cause, one]))
  const tell: Told[] = []
  const next: OpenAlert[] = []
  const causes = groupBy(standing.filter((one) => concerns(rule, one)), ({ cause }) => cause) // prettier-ignore
  for (const [cause, list] of causes) {
    const was = before.get(cause)
    const news = newsOf(list, was)
    const hushed = quiet || list.every((one) => (one.quietUntil ?? 0) > now)
    const toldAt = was?.toldAt ?? null
    const what = hushed ? undefined : toldAt === null ? (now - news.since >= after ? 'new' : undefined) : now - toldAt >= again ? 'again' : undefined // prettier-ignore
    if (what) tell.push({ what, news })
    next.push({ news, seenAt: now, toldAt: what ? now : toldAt })
  }
  for (const [cause, was] of before) {
    if (causes.has(cause)) continue
    if (now - was.seenAt < settling) next.push(was)
    else if (was.toldAt !== null && rule.cleared) {
      if (quiet) next.push(was)
      else tell.push({ what: 'cleared', news: was.news })
    }
  }
  return { tell, open: next }
}

/** Does a rule speak of it? */
export const concerns = ({ about, jobs }: TellingSpec<'matters'>, { kind, job }: Pick<Standing, 'kind' | 'job'>): boolean =>
  about.includes(kind) && (!jobs || jobs.length === 0 || (job !== null && jobs.includes(job))) // prettier-ignore

function newsOf(list: readonly Standing[], was: OpenAlert | undefined): News {
  const first = list.reduce((oldest, one) => (one.since < oldest.since ? one : oldest))
  const since = Math.min(first.since, was?.news.since ?? Infinity)
  const { cause, kind, job } = first
  if (list.length === 1) return { cause, kind, job, title: first.title, text: first.text, count: 1, since }
  return {
    cause,
    kind,
    job: list.every((one) => one.job === job) ? job : null,
    title: `${first.title}, and ${list.length - 1} more of the same cause`,
    text: `${first.text}; also ${list.filter((one) => one !== first).slice(0, 5).map(({ title }) => title).join('; ')}${list.length > 6 ? '; and others' : ''}`,
    count: list.length,
    since,
  }
} // prettier-ignore
