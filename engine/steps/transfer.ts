import type { Transfer } from '../../core/job/steps/transfer'
import { sourceKind, type SourceKind } from '../../core/job/sources'
import { targetKind, type TargetKind } from '../../core/job/targets'
import { tableText } from '../../core/text/slot'
import type { Outcome, TextOf } from '../context/step'
import { write } from '../writing/write'
import type { StepRunner, Touch } from './definition'

export const transfer: StepRunner<Transfer> = {
  run: write,
  touches: ({ from, into }, text, outcome) => [
    ...reads[sourceKind(from)](text, outcome).map((place) => ({ ...place, direction: 'read' as const })),
    { ...writes[targetKind(into)](text), rows: outcome.counts.written, direction: 'write' },
  ],
}

type Place = Omit<Touch, 'direction'>

const tableAt = (text: TextOf, path: string): string => tableText(text(path)) ?? text(path).text

/** The places each kind of source read, with the rows of each. A query names its tables in its text, so it tells none here. */
const reads: Readonly<Record<SourceKind, (text: TextOf, outcome: Outcome) => Place[]>> = {
  files: (_text, { files }) =>
    files
      .filter(({ did }) => did === undefined)
      .map(({ store, path, records }) => ({ connection: store, locator: path, rows: records })),
  table: (text, { counts }) => [
    { connection: text('from.connection').text, locator: tableAt(text, 'from.table'), rows: counts.read },
  ],
  query: () => [],
  service: (text, { counts }) => [
    { connection: text('from.service').text, locator: text('from.path').text, rows: counts.read },
  ],
}

const writes: Readonly<Record<TargetKind, (text: TextOf) => Omit<Place, 'rows'>>> = {
  table: (text) => ({ connection: text('into.connection').text, locator: tableAt(text, 'into.table') }),
  files: (text) => ({ connection: text('into.store').text, locator: text('into.file').text }),
}
