import { sourceKey, type FileHead } from '../types'
import { expectedFiles, placeId, type FilePlace } from './expectedFiles'
import { number, some } from '../../text/someOf'
import { loadGroups, type Rule } from './rule'

/** What is said of heads of files: of one load, and of several. */
interface Words {
  readonly one: (path: string, head: FileHead) => string
  readonly many: string
}

/** A rule over what the heads of files show. Those of one step are one finding. */
const ofHeads =
  (
    code: 'unreadable-file' | 'header-only' | 'ragged-file' | 'odd-values',
    is: (head: FileHead) => boolean,
    { one, many }: Words,
  ): Rule =>
  (expansion, facts, findings) => {
    const groups = loadGroups<{ where: FilePlace; said: string }>()
    for (const { transfer, found, where } of expectedFiles(expansion, facts)) {
      const file = found.find(({ head }) => head !== undefined && is(head))
      if (file) groups.add(placeId(where), transfer, () => ({ where, said: one(file.path, file.head!) }))
    }
    for (const { about, numbers, keys } of groups.list())
      findings.add(
        code,
        'look',
        keys.length === 1
          ? `${keys[0]}: ${about.said}`
          : `${number(keys.length)} loads ${many}: ${some(keys)}; ${keys[0]}: ${about.said}`,
        about.where,
        numbers,
      )
  }

/** `unreadable-file`: files that are no table, by their beginning. */
export const unreadableFile = ofHeads('unreadable-file', ({ unreadable }) => unreadable !== undefined, {
  one: (path, { unreadable }) => `${path}: ${unreadable}`,
  many: 'have files that cannot be read',
})

/** `header-only`: files with names of columns and nothing below them. */
export const headerOnly = ofHeads('header-only', ({ headerOnly: only }) => only === true, {
  one: (path) => `${path} has a header and no rows`,
  many: 'have files with a header and no rows',
})

/** `ragged-file`: lines at the beginning that have another number of fields than the header. */
export const raggedFile = ofHeads('ragged-file', ({ ragged }) => ragged !== undefined, {
  one: (path, { ragged }) =>
    `${path}, line ${number(ragged!.line)}: ${ragged!.fields} fields where the header has ${ragged!.wanted}`,
  many: 'have lines with another number of fields than their header',
})

/** `odd-values`: values at the beginning that the types of their columns cannot take: each would be a reject. */
export const oddValues = ofHeads('odd-values', ({ odd }) => odd !== undefined, {
  one: (path, { odd }) => {
    const { looked, columns } = odd!
    const [{ column, type, value, line, count }] = columns as [(typeof columns)[number]]
    const others = columns.slice(1).map((other) => other.column)
    const shown = value.length > 60 ? `${value.slice(0, 60)}…` : value
    return `${path}, line ${number(line)}: ${column} is to be ${type}, and "${shown}" is none; so it is for ${number(count)} of ${number(looked)} rows looked at${others.length > 0 ? `, and there are such values of ${some(others)}` : ''}`
  },
  many: 'have values that their types cannot take',
})

/** `other-columns`: files with columns that the table lacks, where that fails the load. */
export const otherColumns: Rule = (expansion, facts, findings) => {
  const groups = loadGroups<{ where: FilePlace; lacks: string[]; table: string; path: string }>()
  for (const { transfer, found, where } of expectedFiles(expansion, facts)) {
    const { spec, connection, target } = transfer
    if (spec.into.unknown_columns !== 'fail' || spec.from.dataset !== undefined || connection === undefined)
      continue
    const columns = target === undefined ? undefined : facts.targets?.get(sourceKey(connection, target))
    const file = found.find(({ header }) => header !== undefined)
    // that a view takes no rows is told elsewhere
    const view = facts.tables.get(sourceKey(connection, target ?? ''))?.view
    if (!columns || columns.length === 0 || !file || view) continue
    const there = new Set(columns.map(({ name }) => name))
    const mapped = new Set(Object.values(spec.columns ?? {}))
    const lacks = file.header!.filter(
      (name) => !mapped.has(name) && !there.has(name) && !there.has(name.trim().toLowerCase()),
    )
    if (lacks.length > 0)
      groups.add([placeId(where), target, ...lacks].join('\n'), transfer, () => ({
        where,
        lacks,
        table: target!,
        path: file.path,
      }))
  }
  for (const { about, numbers, keys } of groups.list())
    findings.add(
      'other-columns',
      'look',
      `${some(keys)}: ${about.path} has ${some(about.lacks)}, which ${about.table} lacks; say unknown_columns: add or ignore, or map them`,
      about.where,
      numbers,
    )
}
