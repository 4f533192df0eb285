import type { Check, Job, RosterSpec, Step, Transfer } from './document'
import { stepKind } from './document'
import { rosterKind } from './roster'

/** A job as it is read: parts and steps in order, every setting in words. */
export interface Outline {
  readonly name: string
  readonly title: string
  readonly note: string | null
  readonly slices: { readonly every: string; readonly zone: string; readonly from: string } | null
  readonly parameters: readonly {
    readonly name: string
    readonly type: string
    readonly default: string | number | boolean | null
    /** Used in tries only. */
    readonly try: string | number | boolean | null
    readonly oneOf: (string | number | boolean | null)[] | null
    readonly note: string | null
    readonly required: boolean
  }[]
  readonly parts: readonly OutlinePart[]
}

export interface OutlinePart {
  readonly index: number
  readonly kind: 'once' | 'each'
  readonly title: string | null
  readonly roster: string | null
  readonly atOnce: number | null
  readonly sliced: boolean
  readonly line: number
  readonly steps: readonly OutlineStep[]
}

export interface OutlineStep {
  readonly id: string
  readonly title: string
  readonly kind: 'transfer' | 'sql' | 'check'
  readonly off: boolean
  readonly note: string | null
  readonly settings: readonly { readonly label: string; readonly text: string }[]
  readonly line: number
}

export function outlineOf(job: Job, place: (path: string) => { line: number }): Outline {
  return {
    name: job.name,
    title: job.title,
    note: job.note ?? null,
    slices: job.slices ? { every: job.slices.every, zone: job.slices.zone, from: job.slices.from } : null,
    parameters: Object.entries(job.parameters).map(([name, parameter]) => ({
      name,
      type: parameter.type,
      default: parameter.default ?? null,
      try: parameter.try ?? null,
      oneOf: parameter.one_of ?? null,
      note: parameter.note ?? null,
      required: parameter.required,
    })),
    parts: job.parts.map((part, index) => {
      const list = part.once ? 'once' : 'do'
      return {
        index,
        kind: part.once ? 'once' : 'each',
        title: part.title ?? null,
        roster: part.each ? rosterText(part.each.roster) : null,
        atOnce: part.each?.at_once ?? null,
        sliced: part.each !== undefined && part.each.slices && job.slices !== undefined,
        line: place(`parts.${index}`).line,
        steps: (part.once ?? part.do ?? []).map((step, s) => ({
          id: step.id,
          title: step.title ?? step.id,
          kind: stepKind(step),
          off: step.off,
          note: step.note ?? null,
          settings: settingsOf(step),
          line: place(`parts.${index}.${list}.${s}`).line,
        })),
      }
    }),
  }
}

/** A roster in words. */
export function rosterText(roster: RosterSpec): string {
  const own = `${roster.exactly_one ? 'the one row of ' : ''}${sourceText(roster)}`
  const filtered = roster.where ? `${own} where ${roster.where}` : own
  return roster.inner ? `${filtered}, and for each: ${rosterText(roster.inner)}` : filtered
}

function sourceText(roster: RosterSpec): string {
  switch (rosterKind(roster)) {
    case 'control':
      return roster.control!
    case 'query':
      return `a query on ${roster.query!.on}`
    case 'file':
      return `rows of ${roster.file!.path} in ${roster.file!.store}`
    case 'datasets': {
      const { named, connection, tag } = roster.datasets!
      return `datasets named ${named}${connection ? ` of ${connection}` : ''}${tag ? `, tagged ${tag}` : ''}`
    }
    case 'files':
      return `files ${roster.files!.named} in ${roster.files!.store}${roster.files!.subfolders ? ' and its subfolders' : ''}`
    case 'range':
      return `${roster.range!.from} to ${roster.range!.to}, both included`
    case 'rows':
      return `${roster.rows!.length} ${roster.rows!.length === 1 ? 'row' : 'rows'} typed in`
  }
}

/** A check in words. */
export function checkText(check: Check): string {
  if (check.unique) return `one row per ${check.unique.join(', ')}`
  if (check.not_null) return `${check.not_null.join(', ')} never empty`
  const { at_least, at_most } = check.rows ?? {}
  const bounds = [
    at_least === undefined ? '' : `at least ${at_least}`,
    at_most === undefined ? '' : `at most ${at_most}`,
  ]
  return `${bounds.filter(Boolean).join(', ')} ${(at_most ?? at_least) === 1 ? 'row' : 'rows'}`
}

const writes = {
  append: 'append',
  'replace-all': 'replace all rows',
  'replace-slice': 'replace the slice',
  upsert: 'upsert',
}

/** How the source's files are read, where it is not the usual way. */
function readingText(from: Transfer['from']): string {
  return [
    from.format,
    from.delimiter !== ',' && `parted by ${from.delimiter === '\t' ? 'tabs' : from.delimiter}`,
    !from.header && `no header${from.names ? `: ${from.names.join(', ')}` : ''}`,
    from.skip && `${from.skip} lines above the header`,
    from.decimal === ',' && 'decimal comma',
    from.encoding !== 'utf-8' && from.encoding,
    from.sheet !== undefined && `sheet ${from.sheet}`,
    from.records && `records at ${from.records}`,
    from.inner && `list ${from.inner}`,
  ]
    .filter(Boolean)
    .join(', ')
}

function settingsOf(step: Step): { label: string; text: string }[] {
  const settings: { label: string; text: string }[] = []
  const add = (label: string, text: string | undefined) => {
    if (text) settings.push({ label, text })
  }
  if (step.transfer) {
    const { from, into, columns, shape, check, rejects } = step.transfer
    add(
      'write',
      into.write &&
        writes[into.write] +
          (into.key ? ` by ${into.key.join(', ')}` : '') +
          (into.slice_by ? ` by ${into.slice_by}` : ''),
    )
    if (into.key) add('rows that share the key', into.repeats === 'fail' ? 'fail the load' : 'keep the last')
    add(
      'columns',
      columns &&
        Object.entries(columns)
          .map(([target, source]) => `${source} → ${target}`)
          .join(', '),
    )
    add('columns the target lacks', into.unknown_columns === 'fail' ? undefined : into.unknown_columns)
    add(
      'shape',
      shape
        ?.map(
          ({ columns: of, apply }) =>
            `${apply.join(', ')} every ${of.type ?? 'text'} column${of.named ? ` named ${of.named}` : ''}`,
        )
        .join('; '),
    )
    add('checked before writing', check?.map(checkText).join('; '))
    const allowed =
      typeof rejects === 'string'
        ? rejects
        : 'up_to' in rejects
          ? `up to ${rejects.up_to}`
          : `up to ${rejects.share * 100} %`
    add('rejects', allowed === 'fail' ? 'fail on the first' : allowed === 'keep' ? 'keep all' : allowed)
    add(
      'written as',
      into.store &&
        [
          into.format ?? 'by the ending',
          into.compress,
          into.split?.by && `in folders by ${into.split.by.join(', ')}`,
          into.split?.bytes && `in files of ${into.split.bytes.toLocaleString('en')} bytes`,
        ]
          .filter(Boolean)
          .join(', '),
    )
    add('read as', readingText(from))
    add('columns the source lacks', into.missing_columns === 'fail' ? 'fail the load' : undefined)
    if (from.store) add('no file', from.missing === 'skip' ? 'skip the load' : 'fail the load')
  }
  if (step.check) add('holds', step.check.that.map(checkText).join('; '))
  return settings
}
