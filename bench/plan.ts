import { sourceId } from '../core/roster/gathered'
import { applyEdits } from '../core/control/edits'
import { forecast } from '../core/forecast/forecast'
import { comparePlans } from '../core/plan/compare'
import { effectOf } from '../core/plan/effect'
import { expand } from '../core/plan/expand/expand'
import { noFacts } from '../core/plan/noFacts'
import { capsOf, workloadOf } from '../core/plan/workload'
import { judge, judgeOnly } from '../core/plan/plan'
import { parseJob } from '../core/job/parse'
import { slicesBetween } from '../core/slice/slices'
import type { Table } from '../core/value'

/** Plans 10,000 rows × 30 days with six expressions and says how long it took. No outside yardstick: the issue gives seconds. */
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
          into: {connection: warehouse, table: "{row.schema}.{row.target}", write: upsert, key: [meter, read_at]}
`
const { job, faults } = parseJob(text)
if (!job) throw new Error(JSON.stringify(faults))
const table: Table = {
  columns: [
    { name: 'name', type: 'text' },
    { name: 'kind', type: 'text' },
    { name: 'store', type: 'text' },
    { name: 'target', type: 'text' },
    { name: 'schema', type: 'text' },
    { name: 'active', type: 'boolean' },
  ],
  key: ['name'],
  rows: Array.from({ length: 10_000 }, (_, i) => ({
    name: `feed${i}`,
    kind: i % 2 ? 'flow' : 'level',
    store: 'drop',
    target: i % 2 ? 'flow_reading' : 'level_reading',
    schema: 'raw',
    active: true,
  })),
}
const facts = noFacts({
  connections: {
    drop: { kind: 'files', configured: true, cap: 12 },
    warehouse: { kind: 'postgres', configured: true, cap: 8 },
  },
  history: new Map([
    ['', [1, 2, 3]],
    ...table.rows.map((row, i): [string, number[]] => [String(row.name), [1 + (i % 5), 2, 3]]),
  ]),
  workers: 6,
})
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
  new Map([[sourceId({ kind: 'control', name: 'feeds' }), table]]),
)
const expanded = performance.now()
const plan = judge(expansion, facts)
const end = performance.now()
const caps = capsOf(plan, facts)
const work = workloadOf(plan, facts.history)
const loaded = performance.now()
const foreseen = forecast(work, caps)
const forecastSeconds = (performance.now() - loaded) / 1000
const edited = performance.now()
const set = (kind: string) =>
  Array.from({ length: 100 }, (_, i) => ({
    kind: 'change' as const,
    key: { name: `feed${i * 7}` },
    version: '',
    set: { kind },
  }))
const day = { ...expansion.request, slices: expansion.request.slices!.slice(0, 1) }
const quick = (rows: Table) =>
  judgeOnly(expand(day, new Map([[sourceId({ kind: 'control', name: 'feeds' }), rows]])), facts)
const effect = effectOf(quick(table), quick(applyEdits(table, set('press'))))
const effectSeconds = (performance.now() - edited) / 1000
const compared = performance.now()
const comparison = comparePlans(plan, plan)
const compareSeconds = (performance.now() - compared) / 1000
console.log(
  JSON.stringify(
    {
      loads: plan.loads.length,
      findings: plan.findings.map(({ code, message }) => `${code}: ${message}`),
      forecast: foreseen && { ...foreseen, running: undefined },
      expandSeconds: +((expanded - start) / 1000).toFixed(2),
      judgeSeconds: +((end - expanded) / 1000).toFixed(2),
      forecastSeconds: +forecastSeconds.toFixed(2),
      effect: { changed: effect.changed, same: effect.same, seconds: +effectSeconds.toFixed(2) },
      compare: { same: comparison.same, seconds: +compareSeconds.toFixed(2) },
      memoryMB: Math.round(process.memoryUsage().rss / 1e6),
    },
    null,
    1,
  ),
)
