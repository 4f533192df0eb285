import { connectionKinds, type ConnectionKind } from '../connection/connection'
import { allSteps } from '../job/document'
import { namedAt } from '../job/slots'
import type { Transfer } from '../job/steps/transfer'
import { plainText, tableText, type Resolved } from '../text/slot'
import { textTable } from './texts'
import { fileKey, type Expansion, type PlannedLoad, type PlanPart, type PlanStep } from './types'

/** A transfer of one load with its texts resolved; undefined members could not be resolved. */
export interface ResolvedTransfer {
  readonly step: PlanStep
  readonly spec: Transfer
  readonly load: PlannedLoad
  readonly number: number
  readonly store: string | undefined
  readonly files: Extract<Resolved, { kind: 'path' }> | undefined
  /** Key of its files among the facts; made once, since it is asked for by many. */
  readonly fileKey: string | undefined
  /** The dataset of the catalog that its files are said to be of. */
  readonly dataset: string | undefined
  readonly sourceConnection: string | undefined
  readonly sourceTable: string | undefined
  /** Path of a service with its values filled in. */
  readonly service: string | undefined
  readonly address: string | undefined
  readonly query: Extract<Resolved, { kind: 'sql' }> | undefined
  readonly connection: string | undefined
  /** `schema.table`, the schema being `public` where none is written; or the path of a file. */
  readonly target: string | undefined
}

/** By the list of loads, which an expansion and the plan made of it share. */
const known = new WeakMap<Expansion['loads'], readonly ResolvedTransfer[]>()

/** Every transfer of every load, in the plan's order; worked out once for an expansion, for all who look at it. */
export function transfersOf(expansion: Expansion): readonly ResolvedTransfer[] {
  let list = known.get(expansion.loads)
  if (!list) known.set(expansion.loads, (list = [...resolveTransfers(expansion)]))
  return list
}

function* resolveTransfers(expansion: Expansion): Generator<ResolvedTransfer> {
  const texts = new Map<Resolved, string | undefined>()
  // most loads share what their table's name came to
  const table = (resolved: Resolved | null): string | undefined => {
    if (!resolved) return undefined
    if (!texts.has(resolved)) texts.set(resolved, tableText(resolved))
    return texts.get(resolved)
  }
  const specs = expansion.parts.map((part) => {
    const source = allSteps(expansion.request.job.parts[part.index]!)
    return part.steps.flatMap((step) => {
      const spec = source.find(({ id }) => id === step.id)?.transfer
      const at = Object.fromEntries(step.slots.map(({ path }) => [path, textTable(part).at(step.id, path)]))
      return spec ? [{ step, spec, at }] : []
    })
  })
  for (let number = 0; number < expansion.loads.length; number++) {
    const load = expansion.loads[number]!
    for (const { step, spec, at } of specs[load.part]!) {
      const get = (path: string): Resolved | null => {
        const index = at[`transfer.${path}`]
        return index === undefined ? null : (load.resolved[index] ?? null)
      }
      const files = get('from.files')
      const query = get('from.query')
      const file = get('into.file')
      const store = plainText(get('from.store'))
      yield {
        step,
        spec,
        load,
        number,
        store,
        files: files?.kind === 'path' ? files : undefined,
        fileKey: store && files?.kind === 'path' ? fileKey(store, files.pattern) : undefined,
        dataset: plainText(get('from.dataset')),
        sourceConnection: plainText(get('from.connection')),
        sourceTable: table(get('from.table')),
        service: plainText(get('from.service')),
        address: plainText(get('from.path')),
        query: query?.kind === 'sql' ? query : undefined,
        connection: plainText(get('into.connection') ?? get('into.store')),
        target: table(get('into.table')) ?? (file?.kind === 'path' ? file.text : undefined),
      }
    }
  }
}

/** Places of the texts of a part that name connections. */
const connectionPlaces = (part: PlanPart): number[] =>
  textTable(part).slots.flatMap(({ path }, at) => (wantedConnection(path) ? [at] : []))

/** The kind of connection that the text at a path of a step names; undefined where it names none. */
export function wantedConnection(path: string): ConnectionKind | undefined {
  const names = namedAt(path)
  return connectionKinds.find((kind) => kind === names)
}

/** A connection as a place in the job names it. */
export interface ConnectionUse {
  readonly name: string
  readonly part: number
  readonly step: string
  readonly path: string
  /** The kind that is needed there. */
  readonly wants: ConnectionKind
  /** Place among the slots of the part's steps. */
  readonly slot: number
}

/** The distinct connections that each place in the job names. */
export function connectionUses(expansion: Pick<Expansion, 'parts' | 'loads'>): ConnectionUse[] {
  const places = expansion.parts.map((part) =>
    connectionPlaces(part).map((slot) => {
      const { step, path } = textTable(part).slots[slot]!
      const at = { part: part.index, step, path, slot, wants: wantedConnection(path)! }
      // loads share what a slot came to for their row, so that most have been seen
      return { at, seen: new Set<Resolved | null>() }
    }),
  )
  const uses: ConnectionUse[] = []
  const known = new Set<string>()
  for (const load of expansion.loads) {
    for (const { at, seen } of places[load.part]!) {
      const resolved = load.resolved[at.slot] ?? null
      if (seen.has(resolved)) continue
      seen.add(resolved)
      const name = plainText(resolved)
      const id = `${at.part} ${at.slot} ${name}`
      if (name === undefined || known.has(id)) continue
      known.add(id)
      uses.push({ name, ...at })
    }
  }
  return uses
}

/** Numbers of the loads whose place names a connection. */
export function loadsUsing(
  { loads }: Pick<Expansion, 'loads'>,
  { part, slot, name }: ConnectionUse,
): number[] {
  const numbers: number[] = []
  for (let i = 0; i < loads.length; i++) {
    const load = loads[i]!
    if (load.part === part && plainText(load.resolved[slot] ?? null) === name) numbers.push(i)
  }
  return numbers
}

/**
 * The distinct names of the connections that each load uses. Loads share their lists: what a connection is called
 * seldom varies with the slice, so it is worked out once a row.
 */
export function connectionNames(
  expansion: Pick<Expansion, 'parts' | 'loads'>,
): readonly (readonly string[])[] {
  const byRow = expansion.parts.map((): (readonly string[])[] => [])
  const places = expansion.parts.map((part) => {
    const at = connectionPlaces(part)
    return { at, sliced: at.some((i) => part.varies[i] === 'slice' || part.varies[i] === 'both') }
  })
  const namesOf = (load: PlannedLoad): readonly string[] => {
    const names: string[] = []
    for (const i of places[load.part]!.at) {
      const name = plainText(load.resolved[i] ?? null)
      if (name !== undefined && !names.includes(name)) names.push(name)
    }
    return names
  }
  return expansion.loads.map((load) =>
    places[load.part]!.sliced ? namesOf(load) : (byRow[load.part]![load.row + 1] ??= namesOf(load)),
  )
}
