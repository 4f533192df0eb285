import { CelScalar, celEnv, celFunc, celMethod, isCelError, isCelList, parse } from '@bufbuild/cel'
import type { CelInput, CelList, CelValue } from '@bufbuild/cel'
import { strings } from '@bufbuild/cel/ext'
import type { Expr } from '@bufbuild/cel-spec/cel/expr/syntax_pb.js'

/** What one expression may cost. Whoever writes one is not the only one who waits for it. */
export const expressionBounds = {
  /** Letters of an expression. */
  letters: 20_000,
  /** Rounds of its macros (map, filter, exists …), those inside each other counted each. */
  rounds: 100_000,
  /** Letters of a text that it makes. */
  made: 1_000_000,
  /** Letters of a text times letters of the pattern it is held against. */
  matched: 10_000_000,
} as const

const { BOOL, STRING } = CelScalar

/**
 * Counts what an expression costs while it is worked out: CEL has no loop without an end, but five lists of a hundred
 * inside each other are ten thousand million rounds.
 */
export class Meter {
  private rounds = 0

  /** Begins to count anew. */
  begin(): void {
    this.rounds = 0
  }

  /** Did it cost too much? What a macro makes of an error is no answer. */
  get over(): boolean {
    return this.rounds > expressionBounds.rounds
  }

  readonly round = (): boolean => {
    this.rounds++
    if (this.over) throw new Error(tooManyRounds)
    return true
  }

  /** The functions that count, and those that could make a text of any length of a short one. */
  functions() {
    return [
      celFunc(roundName, [], BOOL, this.round),
      ...strings.filter(({ name }) => name in madeBy).map(bounded),
      celMethod('matches', STRING, [STRING], BOOL, matches),
    ]
  }
}

export const tooManyRounds = `it takes more than ${expressionBounds.rounds} rounds; take fewer values, or nest less`

const roundName = 'one_more_round'

/** Makes each macro of an expression count its rounds. Changes the expression. */
export function countRounds(expr: Expr | undefined): void {
  if (!expr) return
  const { exprKind: kind } = expr
  switch (kind.case) {
    case 'constExpr':
    case 'identExpr':
    case undefined:
      return
    case 'selectExpr':
      return countRounds(kind.value.operand)
    case 'callExpr':
      countRounds(kind.value.target)
      return kind.value.args.forEach(countRounds)
    case 'listExpr':
      return kind.value.elements.forEach(countRounds)
    case 'structExpr':
      for (const entry of kind.value.entries) {
        if (entry.keyKind.case === 'mapKey') countRounds(entry.keyKind.value)
        countRounds(entry.value)
      }
      return
    case 'comprehensionExpr': {
      const { iterRange, accuInit, loopCondition, loopStep, result } = kind.value
      for (const part of [iterRange, accuInit, loopCondition, loopStep, result]) countRounds(part)
      const both = parse(`${roundName}() && true`).expr!
      if (both.exprKind.case === 'callExpr' && loopCondition) both.exprKind.value.args[1] = loopCondition
      kind.value.loopCondition = both
    }
  }
}

const lengthOf = (value: unknown): number =>
  typeof value === 'string' ? value.length : isCelList(value) ? listLength(value) : 20

function listLength(list: CelList): number {
  let length = 0
  for (const item of list) length += lengthOf(item)
  return length
}

const occurrences = (text: string, part: string): number =>
  part === '' ? text.length + 1 : text.split(part).length - 1

/** The most letters that a function's text can have, worked out before it is made. */
const madeBy: Readonly<Record<string, (target: unknown, args: readonly unknown[]) => number>> = {
  replace: (target, [part, by]) =>
    String(target).length + occurrences(String(target), String(part)) * String(by).length,
  join: (target, [between]) =>
    lengthOf(target) + (isCelList(target) ? target.size : 0) * String(between ?? '').length,
  format: (target, [values]) => {
    const longest = isCelList(values) ? Math.max(0, ...[...values].map(lengthOf)) : 0
    return String(target).length + occurrences(String(target), '%') * longest
  },
}

function bounded(made: (typeof strings)[number]) {
  return celMethod(made.name, made.target!, made.arguments, made.result, function (...args) {
    const length = madeBy[made.name]!(this, args)
    if (length > expressionBounds.made)
      throw new Error(
        `${made.name}() would make a text of up to ${length} letters; ${expressionBounds.made} are the most`,
      )
    const result = made.call(0n as never, this as CelValue, args as CelValue[])
    if (isCelError(result)) throw result.cause instanceof Error ? result.cause : new Error(result.message)
    return result as CelInput
  })
}

const plain = celEnv()

/** The library's own, RE2 as CEL's specification has it: linear in the text, but a pattern may be long as well. */
function matches(this: string, pattern: string): boolean {
  if (this.length * pattern.length > expressionBounds.matched)
    throw new Error(
      `matches() of ${this.length} letters against a pattern of ${pattern.length} would take too long`,
    )
  const result = plain.funcs.find('matches')!.call(0, this, [pattern])
  if (isCelError(result)) throw result.cause instanceof Error ? result.cause : new Error(result.message)
  return result === true
}
