import { connectionKinds, type ConnectionKind } from '../connection/connection'
import { celCompiler } from '../expression/cel'
import { compileSlot } from '../text/slot'
import { parseTemplate } from '../text/template'
import { FaultError } from '../fault'
import type { FieldMeta } from '../field/field'
import { activeSteps, stepPath, type Job } from './document'
import { namesIn, nestedRosters, rosterExpressions } from './rosters'
import { namedAt, slotsOf } from './slots'

/** Something that a job names and that an environment must have; `paths` are its places in the document. */
export interface Need {
  readonly name: string
  readonly paths: readonly string[]
}

/** What a job needs of the environment it is brought into. */
export interface JobNeeds {
  /** Connections that it names as they are; those that come out of a row are known only with the row. */
  readonly connections: readonly (Need & { readonly kind: ConnectionKind })[]
  /** Control tables, with the columns of theirs that its expressions use. */
  readonly controls: readonly (Need & { readonly columns: readonly string[] })[]
  /** Values of the environment: `env.name`, the environment's own name excepted. */
  readonly values: readonly Need[]
}

/** Works out what a document needs; texts with mistakes are passed over, since saving and planning tell them. */
export function jobNeeds(job: Job): JobNeeds {
  const connections = new Map<string, { name: string; kind: ConnectionKind; paths: string[] }>()
  const values = new Map<string, string[]>()
  const controls = new Map<string, { columns: Set<string>; paths: string[] }>()
  const compile = celCompiler(job.slices?.zone ?? 'UTC')
  const references = (source: string) => {
    try {
      return compile(source).references
    } catch (error) {
      if (error instanceof FaultError) return []
      throw error
    }
  }
  const noteConnection = (text: string, names: FieldMeta['names'], path: string) => {
    const kind = connectionKinds.find((known) => known === names)
    const name = kind === undefined ? undefined : literalOf(text)
    if (name === undefined || kind === undefined) return
    const known = connections.get(`${kind} ${name}`)
    if (known) known.paths.push(path)
    else connections.set(`${kind} ${name}`, { name, kind, paths: [path] })
  }
  const noteReferences = (sources: readonly string[], path: string, columns: Set<string>) => {
    for (const { root, field } of sources.flatMap(references)) {
      if (root === 'env' && field !== undefined && field !== 'name') {
        const paths = values.get(field)
        if (paths) paths.push(path)
        else values.set(field, [path])
      }
      if (root === 'row' && field !== undefined) columns.add(field)
    }
  }
  job.parts.forEach((part, index) => {
    const columns = new Set<string>()
    for (const step of activeSteps(part)) {
      const at = stepPath(job, index, step.id)
      for (const slot of slotsOf(step)) {
        const path = `${at}.${slot.path}`
        noteConnection(slot.text, namedAt(slot.path), path)
        try {
          const { pieces } = compileSlot(slot, compile)
          const sources = pieces.flatMap((piece) => (typeof piece === 'string' ? [] : [piece.source]))
          noteReferences(sources, path, columns)
        } catch (error) {
          if (!(error instanceof FaultError)) throw error
        }
      }
    }
    if (!part.each) return
    for (const { spec, path: below } of nestedRosters(part.each.roster)) {
      const path = `parts.${index}.each.roster${below === '' ? '' : `.${below}`}`
      for (const { key, names, text } of namesIn(spec)) noteConnection(text, names, `${path}.${key}`)
      noteReferences(rosterExpressions(spec), path, columns)
      for (const name of [...(spec.key ?? []), ...(spec.sort ?? [])]) columns.add(name.replace(/^-/, ''))
    }
    const rosters = nestedRosters(part.each.roster)
    for (const { spec, path: below } of rosters) {
      if (spec.control === undefined) continue
      const known = controls.get(spec.control) ?? { columns: new Set<string>(), paths: [] }
      controls.set(spec.control, known)
      known.paths.push(`parts.${index}.each.roster${below === '' ? '' : `.${below}`}.control`)
      const prefix = spec.prefix ?? ''
      // a column belongs to the roster with the longest prefix that it begins with
      const others = rosters.map(({ spec: other }) => other.prefix ?? '').filter((other) => other.length > prefix.length) // prettier-ignore
      for (const column of columns)
        if (column.startsWith(prefix) && !others.some((other) => column.startsWith(other)))
          known.columns.add(column.slice(prefix.length))
    }
  })
  return {
    connections: [...connections.values()],
    controls: [...controls].map(([name, { columns, paths }]) => ({ name, columns: [...columns], paths })),
    values: [...values].map(([name, paths]) => ({ name, paths })),
  }
}

/** A text without expressions as what it says; undefined where a row or a parameter decides. */
function literalOf(text: string): string | undefined {
  try {
    const pieces = parseTemplate(text)
    return pieces.every((piece) => piece.kind === 'literal')
      ? pieces.map((piece) => (piece.kind === 'literal' ? piece.text : '')).join('')
      : undefined
  } catch (error) {
    if (error instanceof FaultError) return undefined
    throw error
  }
}
