import { wildcardMatcher } from '../store/pattern'
import type { ValueType } from '../value'

/** What can be done to every column that a rule picks. */
export const columnRules = ['trim', 'empty-to-null', 'lower', 'upper'] as const
export type ColumnRule = (typeof columnRules)[number]

export const columnRuleWords: Readonly<Record<ColumnRule, string>> = {
  trim: 'trim blanks',
  'empty-to-null': 'empty is nothing',
  lower: 'lower case',
  upper: 'upper case',
}

export interface ShapeRule {
  readonly columns: { readonly type?: ValueType | undefined; readonly named?: string | undefined }
  readonly apply: readonly ColumnRule[]
}

/** Does a name fit a pattern in which `*` stands for any letters? */
export function nameFits(name: string, pattern: string): boolean {
  // only * is more than a letter here
  return wildcardMatcher(pattern.replace(/[?\\]/g, '\\$&'))(name)
}

const texts = /^(text|character varying|character|bpchar|citext)(\(\d+\))?$/

/**
 * The rules that concern one column, in order; its type is in the words of Postgres. Rules only ever touch text: what
 * is kept as text by us (uuid, jsonb, xml, an enum) is none.
 */
export function rulesFor(
  column: { readonly name: string; readonly type: string },
  shape: readonly ShapeRule[],
): ColumnRule[] {
  if (!texts.test(column.type)) return []
  return shape
    .filter(({ columns }) => (columns.type ?? 'text') === 'text')
    .filter(({ columns }) => columns.named === undefined || nameFits(column.name, columns.named))
    .flatMap(({ apply }) => apply)
}

/** An SQL expression over `operand`; the functions mean the same in Postgres and in DuckDB. */
export function shapedSql(operand: string, rules: readonly ColumnRule[]): string {
  return rules.reduce((sql, rule) => {
    switch (rule) {
      case 'trim':
        return `trim(${sql}, E' \\t\\r\\n')`
      case 'empty-to-null':
        return `nullif(${sql}, '')`
      case 'lower':
        return `lower(${sql})`
      case 'upper':
        return `upper(${sql})`
    }
  }, operand)
}
