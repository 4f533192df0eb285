import {
  celEnv,
  celFunc,
  CelScalar,
  isCelError,
  isCelList,
  isCelMap,
  isCelUint,
  parse,
  plan,
} from '@bufbuild/cel'
import type { CelInput, CelValue } from '@bufbuild/cel'
import { strings } from '@bufbuild/cel/ext'
import type { Expr } from '@bufbuild/cel-spec/cel/expr/syntax_pb.js'
import { Temporal } from 'temporal-polyfill'
import { fail, FaultError } from '../fault'
import type { Row, Value, ValueType } from '../value'
import { countRounds, expressionBounds, Meter, tooManyRounds } from './bounds'
import { conversions } from './conversions'
import { asInstant, timestamp } from './instants'
import { evaluationText } from './evaluationText'
import { formatTime, localDate, localTime } from './dates'

/** Names an expression can see, each with its fields. */
export type Bindings = Readonly<Record<string, CelInput>>

/** A use of a name: `row.kind` is `{root: 'row', field: 'kind'}`. Offset is in the expression's text. */
export interface Reference {
  readonly root: string
  readonly field: string | undefined
  /** Second field, as in `step.bring-in.rows_written`. */
  readonly inner: string | undefined
  readonly offset: number
  /** Inside `has(…)`: asking whether it is there is no mistake. */
  readonly optional: boolean
}

/** How the whole expression is to be used in SQL. */
export type Use = 'value' | 'name' | 'list' | 'raw' | 'pattern'

export interface Compiled {
  readonly source: string
  readonly use: Use
  readonly references: readonly Reference[]
  /** The type of Postgres that its text is written in, where the expression as a whole says so: `date(…)`, `local(…)`. */
  readonly writes?: 'date' | 'timestamp'
  /** @throws FaultError `expression` when it cannot be worked out for these bindings */
  evaluate(bindings: Bindings): CelValue
  /** The arguments of name(…), list(…), raw(…), each worked out. */
  evaluateArguments(bindings: Bindings): CelValue[]
}

const spliced = new Set<string>(['name', 'list', 'raw', 'pattern'])

/** Functions that write a time without its zone, and the type of Postgres that their text is written in. */
const written: Readonly<Record<string, 'date' | 'timestamp'>> = { date: 'date', local: 'timestamp' }

const variadic = (name: string) =>
  [1, 2, 3].map(
    (count) =>
    celFunc(name, Array.from({ length: count }, () => CelScalar.DYN), CelScalar.DYN, (...args: unknown[]) => args[0] as CelInput), // prettier-ignore
  )

/** CEL in a time zone: `format` without a third argument writes times in `zone`. */
export function celCompiler(zone: string): (source: string) => Compiled {
  const asZoned = (value: unknown, into: string, name = 'format'): Temporal.ZonedDateTime => {
    const instant = asInstant(value)
    if (instant) return instant.toZonedDateTimeISO(into)
    if (typeof value !== 'string')
      throw new Error(
        `${name}() takes a time, such as slice.from${name === 'format' ? ', and a pattern' : ''}`,
      )
    try {
      if (/^\d{4}-\d\d-\d\d$/.test(value)) return Temporal.PlainDate.from(value).toZonedDateTime(into)
      return Temporal.Instant.from(value).toZonedDateTimeISO(into)
    } catch (error) {
      if (!(error instanceof RangeError)) throw error
      throw new Error(`${name}() takes a time or a day (ISO 8601), and "${value}" is none`, { cause: error })
    }
  }
  const writers = Object.entries({ date: localDate, local: localTime }).flatMap(([name, write]) => [
    celFunc(name, [CelScalar.DYN], CelScalar.STRING, (time) => write(asZoned(time, zone, name))),
    celFunc(name, [CelScalar.DYN, CelScalar.STRING], CelScalar.STRING, (time, into) =>
      write(asZoned(time, into, name)),
    ),
  ])
  const meter = new Meter()
  const env = celEnv({
    funcs: [
      ...strings,
      ...meter.functions(),
      ...conversions,
      ...writers,
      celFunc('format', [CelScalar.DYN, CelScalar.STRING], CelScalar.STRING, (time, pattern) =>
        formatTime(asZoned(time, zone), pattern),
      ),
      celFunc(
        'format',
        [CelScalar.DYN, CelScalar.STRING, CelScalar.STRING],
        CelScalar.STRING,
        (time, pattern, into) => formatTime(asZoned(time, into), pattern),
      ),
      ...variadic('name'),
      ...variadic('list'),
      ...variadic('raw'),
      ...variadic('pattern'),
    ],
  })
  const cache = new Map<string, Compiled>()
  return (source) => {
    const known = cache.get(source)
    if (known) return known
    const made = compile(source, env, meter)
    cache.set(source, made)
    return made
  }
}

function compile(source: string, env: ReturnType<typeof celEnv>, meter: Meter): Compiled {
  if (source.length > expressionBounds.letters)
    fail(
      'syntax',
      `an expression has at most ${expressionBounds.letters} letters; this one has ${source.length}`,
    )
  try {
    return compiled(source, env, meter)
  } catch (error) {
    // the stack is at its end
    if (!(error instanceof RangeError)) throw error
    fail('syntax', 'an expression nested this deeply cannot be read', { offset: 0, length: source.length })
  }
}

function compiled(source: string, env: ReturnType<typeof celEnv>, meter: Meter): Compiled {
  const parsed = parseOrFail(source)
  const positions = parsed.sourceInfo?.positions ?? {}
  const references: Reference[] = []
  walk(parsed.expr, (root, fields, id, optional) => {
    references.push({
      root,
      field: fields[0],
      inner: fields[1],
      offset: positions[String(id)] ?? 0,
      optional,
    })
  })
  countRounds(parsed.expr)
  const top = parsed.expr.exprKind
  const call =
    top.case === 'callExpr' && !top.value.target && spliced.has(top.value.function) ? top.value : undefined
  const evaluator = (expr: Expr) => {
    const run = plan(env, expr)
    return (bindings: Bindings): CelValue => {
      meter.begin()
      const result = run(asMaps(bindings))
      if (meter.over) cannot(source, tooManyRounds)
      if (isCelError(result)) {
        const cause = result.cause
        if (cause instanceof FaultError) throw cause
        cannot(source, evaluationText(cause instanceof Error ? cause.message : result.message))
      }
      return result
    }
  }
  const evaluate = evaluator(parsed.expr)
  const parts = (call?.args ?? []).map(evaluator)
  return {
    source,
    use: call ? (call.function as Use) : 'value',
    references,
    ...(top.case === 'callExpr' && !top.value.target && Object.hasOwn(written, top.value.function)
      ? { writes: written[top.value.function]! }
      : {}),
    evaluate,
    evaluateArguments: (bindings) => parts.map((part) => part(bindings)),
  }
}

/** What has a field "constructor" is no plain object to the library: it is given as a map, which may have any. */
function asMaps(bindings: Bindings): Record<string, CelInput> {
  let given: Record<string, CelInput> = bindings
  for (const [name, value] of Object.entries(bindings))
    if (typeof value === 'object' && value !== null && Object.hasOwn(value, 'constructor'))
      given = { ...given, [name]: new Map(Object.entries(value as Record<string, CelInput>)) }
  return given
}

function cannot(source: string, why: string): never {
  fail('expression', `{${shortened(source)}} cannot be worked out: ${shortened(why)}`)
}

/** Of a long text the beginning: it stands in an answer. */
const shortened = (text: string): string => (text.length > 300 ? `${text.slice(0, 300)}…` : text)

interface SyntaxFault {
  rawMessage?: string
  location?: { start: { offset: number }; end: { offset: number } }
}

function parseOrFail(source: string) {
  try {
    return parse(source)
  } catch (error) {
    if (error instanceof RangeError) throw error
    const { rawMessage, location } = error as SyntaxFault
    fail('syntax', `{${source}}: ${rawMessage ?? (error as Error).message}`, {
      offset: location?.start.offset ?? 0,
      length: Math.max(1, (location?.end.offset ?? 0) - (location?.start.offset ?? 0)),
    })
  }
}

type Seen = (root: string, fields: string[], id: bigint, optional: boolean) => void

/** Reports every name with the fields taken from it; the variables that macros bind are not names of ours. */
function walk(
  expr: Expr | undefined,
  seen: Seen,
  bound: ReadonlySet<string> = new Set(),
  optional = false,
): void {
  if (!expr) return
  const kind = expr.exprKind
  switch (kind.case) {
    case 'constExpr':
    case undefined:
      return
    case 'identExpr':
      if (!bound.has(kind.value.name)) seen(kind.value.name, [], expr.id, optional)
      return
    case 'selectExpr': {
      const fields: string[] = []
      let inner: Expr | undefined = expr
      let tested = optional
      while (inner) {
        const step: Expr['exprKind'] = inner.exprKind
        if (step.case === 'selectExpr') {
          fields.unshift(step.value.field)
          tested ||= step.value.testOnly
          inner = step.value.operand
          continue
        }
        // row["odd name"] is a field too
        const index = indexedField(inner)
        if (!index) break
        fields.unshift(index.field)
        inner = index.operand
      }
      if (inner?.exprKind.case === 'identExpr') {
        const root = inner.exprKind.value.name
        if (!bound.has(root)) seen(root, fields, inner.id, tested)
      } else walk(inner, seen, bound, tested)
      return
    }
    case 'callExpr': {
      const index = indexedField(expr)
      if (index?.operand.exprKind.case === 'identExpr') {
        const root = index.operand.exprKind.value.name
        if (!bound.has(root)) seen(root, [index.field], index.operand.id, optional)
        return
      }
      walk(kind.value.target, seen, bound, optional)
      for (const arg of kind.value.args) walk(arg, seen, bound, optional)
      return
    }
    case 'listExpr':
      for (const element of kind.value.elements) walk(element, seen, bound, optional)
      return
    case 'structExpr':
      for (const entry of kind.value.entries) {
        if (entry.keyKind.case === 'mapKey') walk(entry.keyKind.value, seen, bound, optional)
        walk(entry.value, seen, bound, optional)
      }
      return
    case 'comprehensionExpr': {
      const { iterVar, accuVar, iterRange, accuInit, loopCondition, loopStep, result } = kind.value
      const inside = new Set([...bound, iterVar, accuVar])
      walk(iterRange, seen, bound, optional)
      for (const part of [accuInit, loopCondition, loopStep, result]) walk(part, seen, inside, optional)
    }
  }
}

function indexedField(expr: Expr): { field: string; operand: Expr } | undefined {
  if (expr.exprKind.case !== 'callExpr' || expr.exprKind.value.function !== '_[_]') return undefined
  const [operand, key] = expr.exprKind.value.args
  if (!operand || key?.exprKind.case !== 'constExpr') return undefined
  const constant = key.exprKind.value.constantKind
  return constant.case === 'stringValue' ? { field: constant.value, operand } : undefined
}

/** A value of a roster as CEL sees it: integers are int, numbers double, dates text. */
export function celInput(value: Value, type: ValueType): CelInput {
  if (value === null) return null
  if (type === 'integer') return BigInt(value)
  // a decimal that a double would change stays its text
  if (type === 'number' || (type === 'decimal' && typeof value === 'number')) return Number(value)
  if (type === 'timestamp' && typeof value === 'string') return timestamp(Temporal.Instant.from(value))
  return value
}

export function celRow(row: Row, types: Readonly<Record<string, ValueType>>): CelInput {
  const input: Record<string, CelInput> = {}
  for (const name of Object.keys(row)) input[name] = celInput(row[name] ?? null, types[name] ?? 'text')
  return input
}

/** A worked-out value as plain JavaScript: bigint for int, Date-free (times are ISO text), lists as arrays. */
export function plainValue(value: CelValue): string | number | bigint | boolean | null | unknown[] {
  if (value === null || typeof value === 'string' || typeof value === 'number') return value
  if (typeof value === 'boolean' || typeof value === 'bigint') return value
  if (isCelUint(value)) return value.value
  if (isCelList(value)) return [...value].map((item) => plainValue(item as CelValue))
  const instant = asInstant(value)
  if (instant) return instant.toString()
  if (isCelMap(value)) fail('expression', 'a map cannot be written as text; take one of its fields')
  fail('expression', 'this value cannot be written as text')
}
