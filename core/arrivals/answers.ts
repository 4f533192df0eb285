import type { ArrivalState } from './arrival'

/** What somebody may say about a file that did not come. */
export const arrivalAnswers = {
  /** Another file is taken in its place. */
  instead: 'another file is taken',
  /** The slice is done without it. */
  without: 'goes without it',
  /** It is asked for again later. */
  later: 'asked again later',
  /** From this slice on nobody expects it any more. */
  never: 'not expected any more',
} as const
export type ArrivalAnswerKind = keyof typeof arrivalAnswers
export const arrivalAnswerKinds = Object.keys(arrivalAnswers) as [ArrivalAnswerKind, ...ArrivalAnswerKind[]]

/** What somebody said about the file of a row. */
export interface ArrivalAnswer {
  readonly kind: ArrivalAnswerKind
  /** Beginning of the slice that it was said of; of one that is not expected any more the first. */
  readonly from: string
  /** When it is asked for again; null where it is not. */
  readonly until: string | null
  /** The file that is taken, as a path of its store, and the name in whose place; null for the other kinds. */
  readonly file: string | null
  readonly replaces: string | null
  readonly why: string
  readonly by: string
  readonly at: string
}

const answerTexts: Readonly<
  Record<ArrivalAnswerKind, (answer: Pick<ArrivalAnswer, 'file' | 'replaces'>) => string>
> = {
  instead: ({ file, replaces }) => `${file} is taken in place of ${replaces}`,
  without: () => 'this slice goes without its file',
  later: () => 'its file is asked for again later',
  never: () => 'its file is not expected any more',
}

/** What was said, in words that go on from "said that". */
export const answerWords = (answer: Pick<ArrivalAnswer, 'kind' | 'file' | 'replaces'>): string =>
  answerTexts[answer.kind](answer)

/** States in which nothing came that could be loaded. */
const lacking: ReadonlySet<ArrivalState> = new Set(['expected', 'late', 'missing', 'empty'])

/**
 * What an answer makes of the state of a file. What came after all is there, whatever was said before.
 * @param from beginning of the slice
 * @param now milliseconds since 1970
 * @returns the state, the answer that made it so, and until when it is not due
 */
export function answered(state: ArrivalState, answers: readonly ArrivalAnswer[], from: string, now: number): { state: ArrivalState; answer?: ArrivalAnswer } {
  const begins = Date.parse(from)
  const instead = answers.find(({ kind, from: of }) => kind === 'instead' && begins === Date.parse(of))
  // its state is that of the file which is taken
  if (instead) return { state, answer: instead }
  if (!lacking.has(state)) return { state }
  const never = answers.find(({ kind, from: since }) => kind === 'never' && begins >= Date.parse(since))
  if (never) return { state: 'unasked', answer: never }
  const own = answers.filter(({ kind, from: of }) => kind !== 'never' && begins === Date.parse(of))
  const without = own.find(({ kind }) => kind === 'without')
  if (without) return { state: 'without', answer: without }
  const later = own.find(({ kind, until }) => kind === 'later' && until !== null && now < Date.parse(until))
  return later ? { state: state === 'empty' ? 'empty' : 'expected', answer: later } : { state }
} // prettier-ignore
