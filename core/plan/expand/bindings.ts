import { Temporal } from 'temporal-polyfill'
import { celInput, celRow, type Bindings } from '../../expression/cel'
import { timestamp } from '../../expression/instants'
import type { Job } from '../../job/document'
import type { Slice } from '../../slice/slices'
import type { Row, ValueType } from '../../value'
import type { PlanRequest } from '../types'

/** A slice as expressions see it. */
export function sliceBinding(slice: Slice): Record<string, unknown> {
  return {
    from: timestamp(Temporal.Instant.from(slice.from)),
    to: timestamp(Temporal.Instant.from(slice.to)),
    label: celInput(slice.label, 'text'),
  }
}

/** What a step or a part came to, as expressions see it. */
export interface Seen {
  readonly state: string
  /** Rows and loads by what became of them. */
  readonly counts: Row
  /** The row that a step gives to later ones. */
  readonly value?: { readonly row: Row; readonly types: Readonly<Record<string, ValueType>> } | undefined
}

/** What steps or parts came to: their state, and counts. */
const outcomes = (all: Readonly<Record<string, Seen>>) =>
  Object.fromEntries(
    Object.entries(all).map(([id, { counts, state, value }]) => [
      id,
      {
        ...(celRow(
          counts,
          Object.fromEntries(
            Object.entries(counts).map(([name, one]) => [name, typeof one === 'string' ? 'text' : 'integer']),
          ),
        ) as object),
        state,
        ...(value ? { value: celRow(value.row, value.types) } : {}),
      },
    ]),
  )

/** Bindings for one row and slice, with what is known only while running. */
export function runBindings(
  job: Job,
  given: {
    parameters: Row
    environment: PlanRequest['environment']
    row: Row | null
    columns: Readonly<Record<string, ValueType>>
    slice: Slice | null
  },
  running: {
    run: { id: number; started: string }
    step: Readonly<Record<string, Seen>>
    part?: Readonly<Record<string, Seen>>
    file: Row | null
  },
): Bindings {
  const parameterTypes = Object.fromEntries(
    Object.entries(job.parameters).map(([name, { type }]) => [name, type]),
  )
  return {
    param: celRow(given.parameters, parameterTypes),
    env: { name: given.environment.name, ...given.environment.values },
    run: { id: BigInt(running.run.id), started: timestamp(Temporal.Instant.from(running.run.started)) },
    step: outcomes(running.step),
    part: outcomes(running.part ?? {}),
    ...(running.file ? { file: celRow(running.file, { size: 'integer' }) } : {}),
    ...(given.row ? { row: celRow(given.row, given.columns) } : {}),
    ...(given.slice ? { slice: sliceBinding(given.slice) } : {}),
  } as Bindings
}
