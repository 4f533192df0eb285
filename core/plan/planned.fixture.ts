import { sourceId } from '../roster/gathered'
import type { Fault } from '../fault'
import { partName } from '../job/document'
import { parseJob } from '../job/parse'
import { slicesInSpan } from '../slice/slices'
import type { Row, Table } from '../value'
import { expand } from './expand/expand'
import { noFacts } from './noFacts'
import { judge } from './plan'
import { fileKey, type Facts, type FileFact, type InsteadFile, type Plan } from './types'

/** A small control table and a job over it, for tests. */

export const feeds: Table = {
  columns: [
    { name: 'feed', type: 'text' },
    { name: 'kind', type: 'text' },
    { name: 'target', type: 'text' },
    { name: 'active', type: 'boolean' },
  ],
  key: ['feed'],
  rows: [
    { feed: 'a', kind: 'flow', target: 'flow', active: true },
    { feed: 'b', kind: 'flow', target: 'flow', active: true },
    { feed: 'c', kind: 'level', target: 'level', active: false },
  ],
}

/** What of a small job is to be otherwise. */
export interface Ask {
  readonly files?: string
  readonly into?: string
  readonly roster?: string
  readonly steps?: string
  readonly parameters?: string
  readonly slices?: string
  /** What the loads wait for. */
  readonly waits?: string
  readonly span?: string
  readonly only?: string
  readonly rows?: readonly Row[]
  readonly given?: Row
  readonly facts?: Partial<Facts>
  readonly found?: Record<string, FileFact[]>
  readonly now?: string
  /** Files that are taken in place of those that rows name. */
  readonly instead?: readonly Omit<InsteadFile, 'part' | 'by' | 'why'>[]
  /** Sources of rosters besides the control table. */
  readonly gathered?: readonly (readonly [string, Table | Fault])[]
}

/** Plans a small job; by default everything about it is in order. */
export function plan(ask: Ask = {}): Plan {
  const text = `
mattock: job/1
name: test
title: Test
parameters: ${ask.parameters ?? '{}'}
${ask.slices ?? 'slices: {every: P1D, zone: UTC, from: 2026-01-01}'}
parts:
  - each: {roster: ${ask.roster ?? '{control: feeds, where: row.active}'}${ask.waits === undefined ? '' : `, waits: [${ask.waits}]`}}
    do:
${
  ask.steps ??
  `      - id: bring
        transfer:
          from: {store: drop, files: "${ask.files ?? "{row.kind}_{row.feed}_{format(slice.from, 'yyyyMMdd')}.csv"}"}
          into: ${ask.into ?? '{connection: wh, table: "raw.{row.target}", write: upsert, key: [id]}'}`
}
`
  const { job, faults } = parseJob(text)
  if (!job) throw new Error(JSON.stringify(faults))
  const request = {
    job,
    environment: { name: 'dev', values: {} },
    parameters: ask.given ?? {},
    only: ask.only,
    slices: job.slices ? slicesInSpan(job.slices, ask.span ?? '2026-11-01/2026-11-03') : undefined,
    instead: ask.instead?.map((one) => ({
      ...one,
      part: partName(job.parts[0]!, 0),
      by: 'T. Holm',
      why: 'sent by hand',
    })),
    now: ask.now ?? '2026-11-10T00:00:00Z',
  }
  const expansion = expand(
    request,
    new Map<string, Table | Fault>([
      [sourceId({ kind: 'control', name: 'feeds' }), { ...feeds, rows: ask.rows ?? feeds.rows }],
      ...(ask.gathered ?? []),
    ]),
  )
  const file = (path: string): FileFact => ({
    path,
    size: 10,
    modified: '2026-11-02T00:00:00Z',
    header: ['id', 'v'],
  })
  const files = new Map<string, FileFact[]>()
  for (const load of expansion.loads) {
    for (const resolved of load.resolved) {
      if (resolved?.kind === 'path')
        files.set(fileKey('drop', resolved.pattern), ask.found?.[resolved.text] ?? [file(resolved.text)])
    }
  }
  return judge(
    expansion,
    noFacts({
      connections: {
        drop: { kind: 'files', configured: true, cap: null },
        wh: { kind: 'postgres', configured: true, cap: 8 },
      },
      files,
      workers: 100,
      ...ask.facts,
    }),
  )
}
