import type { Resolved } from '../expression/slot'
import type { Transfer } from '../job/document'
import { fileKey, type Expansion, type PlannedLoad, type PlanStep } from './types'

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

/** Slot of a load by its step and path. */
export function slotOf(expansion: Expansion, load: PlannedLoad, step: string, path: string): Resolved | null {
  let at = 0
  for (const planned of expansion.parts[load.part]!.steps) {
    for (const slot of planned.slots) {
      if (planned.id === step && slot.path === path) return load.resolved[at] ?? null
      at++
    }
  }
  return null
}

export const tableText = (resolved: Resolved | null): string | undefined =>
  resolved?.kind === 'table' ? `${resolved.schema ?? 'public'}.${resolved.table}` : undefined

const plainText = (resolved: Resolved | null): string | undefined =>
  resolved?.kind === 'text' ? resolved.text : undefined

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
    const source = expansion.request.job.parts[part.index]!
    let base = 0
    return part.steps.flatMap((step) => {
      const at = Object.fromEntries(step.slots.map((slot, i) => [slot.path, base + i]))
      base += step.slots.length
      const spec = (source.once ?? source.do ?? []).find(({ id }) => id === step.id)?.transfer
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

/** Every connection a load uses, with where it is named; `place` is the same object for the same place. */
export function* connectionsOf(
  expansion: Pick<Expansion, 'parts' | 'loads'>,
): Generator<{ number: number; step: string; path: string; name: string; place: object }> {
  const wanted = new Set([
    'transfer.from.store',
    'transfer.from.connection',
    'transfer.from.service',
    'transfer.into.connection',
    'transfer.into.store',
    'sql.on',
    'check.on',
  ])
  const places = expansion.parts.map((part) =>
    part.steps
      .flatMap((step) => step.slots)
      .flatMap((slot, i) => (wanted.has(slot.path) ? [{ slot, i }] : [])),
  )
  for (let number = 0; number < expansion.loads.length; number++) {
    const load = expansion.loads[number]!
    for (const { slot, i } of places[load.part]!) {
      const name = plainText(load.resolved[i] ?? null)
      if (name !== undefined) yield { number, step: slot.step, path: slot.path, name, place: slot }
    }
  }
}

/** The distinct patterns of files that a plan needs looked up, by their key among the facts. */
export function wantedFiles(expansion: Expansion): Map<string, { store: string; pattern: string }> {
  const wanted = new Map<string, { store: string; pattern: string }>()
  for (const { store, files, fileKey: key } of transfersOf(expansion))
    if (key !== undefined && !wanted.has(key)) wanted.set(key, { store: store!, pattern: files!.pattern })
  return wanted
}
