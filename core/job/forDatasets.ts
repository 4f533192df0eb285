import { writeOf, type WriteMode } from './writes'
import type { Row, Table } from '../value'

/** A dataset that is to be loaded, as far as the making of a job needs it. */
export interface PickedDataset {
  readonly name: string
  readonly connection: string
  readonly kind: 'table' | 'view' | 'files' | 'service'
  readonly locator: string
  readonly key: readonly string[]
  /** Names of its `name=value` folders, outermost first. */
  readonly folders: readonly string[]
}

export interface OneJobAsk {
  readonly job: string
  readonly title: string
  readonly control: string
  readonly connection: string
  readonly schema: string
  readonly write: Exclude<WriteMode, 'replace-slice'>
  readonly atOnce: number
  readonly trim: boolean
}

export interface OneJob {
  /** Rows of the control table, one for each dataset. */
  readonly control: Table
  /** The job document that loops over them. */
  readonly document: string
  /** Datasets that cannot be loaded this way, and why. */
  readonly left: readonly { readonly name: string; readonly reason: string }[]
}

const needsKey = ({ write }: OneJobAsk): boolean => writeOf(write).needs.includes('key')

const kinds = ['table', 'files', 'service'] as const
type Kind = (typeof kinds)[number]

/**
 * One job for many datasets: a control table with a row for each, and a job that loops over it, a part for each kind of
 * source. A further source is then a new row, never a new job.
 */
export function oneJobFor(datasets: readonly PickedDataset[], ask: OneJobAsk): OneJob {
  const left: { name: string; reason: string }[] = []
  const rows: Row[] = []
  const targets = new Set<string>()
  const keys = new Set<string>()
  for (const dataset of datasets) {
    const place = placeOf(dataset)
    if (typeof place === 'string') {
      left.push({ name: dataset.name, reason: place })
      continue
    }
    if (needsKey(ask) && dataset.key.length === 0) {
      left.push({
        name: dataset.name,
        reason: 'upsert needs a key, and none is known; name it in the catalog',
      })
      continue
    }
    keys.add(dataset.key.join('\n'))
    rows.push({
      dataset: dataset.name,
      kind: place.kind,
      source: dataset.connection,
      source_schema: place.schema,
      place: place.place,
      target: freeName(targetName(dataset), targets),
      active: true,
    })
  }
  if (needsKey(ask) && keys.size > 1) {
    const [first = ''] = keys
    const others = [...keys].filter((key) => key !== first)
    for (const dataset of datasets)
      if (others.includes(dataset.key.join('\n')) && dataset.key.length > 0)
        left.push({
          name: dataset.name,
          reason: `its key is ${dataset.key.join(', ')}, the first one’s is ${first.replaceAll('\n', ', ')}; one job upserts by one key`,
        })
  }
  const kept = rows.filter(({ dataset }) => !left.some(({ name }) => name === dataset))
  return {
    control: {
      key: ['dataset'],
      columns: [
        ...['dataset', 'kind', 'source', 'source_schema', 'place', 'target'].map((name) => ({
          name,
          type: 'text' as const,
        })),
        { name: 'active', type: 'boolean' },
      ],
      rows: kept,
    },
    document: documentFor(
      ask,
      kinds.filter((kind) => kept.some((row) => row.kind === kind)),
      [...keys][0]?.split('\n') ?? [],
    ),
    left,
  }
}

/** Where a dataset is read from, in the columns of the control table; a text says why it cannot be. */
function placeOf({
  kind,
  locator,
  folders,
}: PickedDataset): { kind: Kind; schema: string | null; place: string } | string {
  switch (kind) {
    case 'table':
    case 'view': {
      const dot = locator.indexOf('.')
      return { kind: 'table', schema: locator.slice(0, dot), place: locator.slice(dot + 1) }
    }
    case 'files': {
      // what stands behind the pattern tells datasets of the same place apart, as the dataset's name does in the job
      const pattern = locator.replace(/#[^/]*$/, '').replace(/(\.[A-Za-z0-9]+)(![^/]*| \(\d+\))$/, '$1')
      const slash = pattern.lastIndexOf('/')
      const [folder, file] = [pattern.slice(0, slash + 1), pattern.slice(slash + 1)]
      return {
        kind: 'files',
        schema: null,
        place: `${folder}${folders.map((name) => `${name}=*/`).join('')}${file}`,
      }
    }
    case 'service':
      if (locator.includes('#'))
        return 'a list within documents of a service needs inner: in a job of its own'
      if (!/^\/[^/?#]+$/.test(locator)) return 'an address of several parts needs a job of its own'
      return { kind: 'service', schema: null, place: locator.slice(1) }
  }
}

/** Letters that are written as two where they are not at hand. */
const spelled: Readonly<Record<string, string>> = {
  ä: 'ae', ö: 'oe', ü: 'ue', ß: 'ss', æ: 'ae', ø: 'oe', å: 'aa', œ: 'oe',
} // prettier-ignore

/** A table's name from a dataset's: without its connection and schema, in letters that need no quotes. */
function targetName({ name, connection }: PickedDataset): string {
  const own = name.startsWith(`${connection}.`) ? name.slice(connection.length + 1) : name
  const last = own.split('.').at(-1) ?? own
  const plain = last
    .toLowerCase()
    .replace(/[äöüßæøåœ]/g, (letter) => spelled[letter]!)
    // letters with marks without them (Unicode, UAX #15: canonical decomposition)
    .normalize('NFD')
    .replace(/\p{M}/gu, '')
    .replace(/[^a-z0-9_]+/g, '_')
    .replace(/^_+|_+$/g, '')
  return /^[a-z]/.test(plain) ? plain.slice(0, 60) : `t_${plain}`.slice(0, 60)
}

function freeName(name: string, taken: Set<string>): string {
  let free = name
  for (let n = 2; taken.has(free); n++) free = `${name.slice(0, 57)}_${n}`
  taken.add(free)
  return free
}

const sources: Record<Kind, string> = {
  table: "{ connection: '{row.source}', table: '{row.source_schema}.{row.place}' }",
  files: "{ store: '{row.source}', files: '{pattern(row.place)}', dataset: '{row.dataset}' }",
  service: "{ service: '{row.source}', path: '/{row.place}' }",
}
const words: Record<Kind, string> = { table: 'tables', files: 'files', service: 'services' }

const text = (value: string): string => `'${value.replace(/'/g, "''")}'`

function documentFor(ask: OneJobAsk, used: readonly Kind[], key: readonly string[]): string {
  const into = [
    `connection: ${ask.connection}`,
    `table: ${text(`${ask.schema}.{row.target}`)}`,
    `write: ${ask.write}`,
    ...(needsKey(ask) ? [`key: [${key.map(text).join(', ')}]`] : []),
    'unknown_columns: add',
  ]
  const part = (kind: Kind): string => `  - title: the ${words[kind]}
    each:
      roster: { control: ${ask.control}, where: ${text(`row.active && row.kind == '${kind}'`)} }
      at_once: ${ask.atOnce}
    do:
      - id: load_${words[kind]}
        transfer:
          from: ${sources[kind]}
          into: { ${into.join(', ')} }
${ask.trim ? '          shape:\n            - { columns: { type: text }, apply: [trim] }\n' : ''}          rejects: keep
`
  return `mattock: job/1
name: ${ask.job}
title: ${text(ask.title)}
tags: [from-catalog]
parts:
${used.map(part).join('')}`
}
