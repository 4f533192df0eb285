import { expand } from '../core/plan/expand'
import { judge } from '../core/plan/plan'
import { parseJob } from '../core/job/parse'
import { slicesBetween } from '../core/slice/slices'
import type { Facts } from '../core/plan/types'
import type { Table } from '../core/value'

/** Plans 10,000 rows × 30 days with five expressions and says how long it took. No outside yardstick: the issue gives seconds. */
const text = `
mattock: job/1
name: wide
title: Wide
slices: {every: P1D, zone: Europe/Oslo, from: 2026-01-01}
parts:
  - each: {roster: {control: feeds, where: row.active}, at_once: 4}
    do:
      - id: bring-in
        transfer:
          from: {store: "{row.store}", files: "{row.kind}/{row.kind}_{row.name}_{format(slice.from, 'yyyyMMdd')}.csv"}
          into: {connection: warehouse, table: "raw.{row.target}", write: upsert, key: [meter, read_at]}
`
const { job, faults } = parseJob(text)
if (!job) throw new Error(JSON.stringify(faults))
const table: Table = {
  columns: [
    { name: 'name', type: 'text' },
    { name: 'kind', type: 'text' },
    { name: 'store', type: 'text' },
    { name: 'target', type: 'text' },
    { name: 'active', type: 'boolean' },
  ],
  key: ['name'],
  rows: Array.from({ length: 10_000 }, (_, i) => ({
    name: `feed${i}`,
    kind: i % 2 ? 'flow' : 'level',
    store: 'drop',
    target: i % 2 ? 'flow_reading' : 'level_reading',
    active: true,
  })),
}
const facts: Facts = {
  connections: {
    drop: { kind: 'files', configured: true, cap: null },
    warehouse: { kind: 'postgres', configured: true, cap: 8 },
  },
  files: new Map(),
  loaded: new Map(),
  history: new Map([['', [1, 2, 3]]]),
  sources: new Map(),
  shapes: new Map(),
}
const start = performance.now()
const expansion = expand(
  {
    job,
    environment: { name: 'dev', values: {} },
    parameters: {},
    only: undefined,
    slices: slicesBetween(job.slices!, '2026-11-01', '2026-12-01'),
    now: '2026-12-02T00:00:00Z',
  },
  new Map([['feeds', table]]),
)
const expanded = performance.now()
const plan = judge(expansion, facts)
const end = performance.now()
console.log(
  JSON.stringify(
    {
      loads: plan.loads.length,
      findings: plan.findings.map(({ code, message }) => `${code}: ${message}`),
      example: plan.loads[0],
      forecast: plan.forecast,
      expandSeconds: +((expanded - start) / 1000).toFixed(2),
      judgeSeconds: +((end - expanded) / 1000).toFixed(2),
      memoryMB: Math.round(process.memoryUsage().rss / 1e6),
    },
    null,
    1,
  ),
)
