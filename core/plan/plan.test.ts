import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { parseJob } from '../job/parse'
import { slicesInSpan } from '../slice/slices'
import type { Row, Table } from '../value'
import { differing } from './differing'
import { expand } from './expand'
import { judge, stopsFor } from './plan'
import { fileKey, loadedKey, shapeKey, sourceKey, type Facts, type FileFact, type FindingCode } from './types'

const feeds: Table = {
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

interface Ask {
  readonly files?: string
  readonly into?: string
  readonly roster?: string
  readonly steps?: string
  readonly parameters?: string
  readonly slices?: string
  readonly span?: string
  readonly only?: string
  readonly rows?: readonly Row[]
  readonly given?: Row
  readonly facts?: Partial<Facts>
  readonly found?: Record<string, FileFact[]>
  readonly now?: string
}

/** Plans a small job; by default everything about it is in order. */
function plan(ask: Ask = {}) {
  const text = `
mattock: job/1
name: test
title: Test
parameters: ${ask.parameters ?? '{}'}
${ask.slices ?? 'slices: {every: P1D, zone: UTC, from: 2026-01-01}'}
parts:
  - each: {roster: ${ask.roster ?? '{control: feeds, where: row.active}'}}
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
    now: ask.now ?? '2026-11-10T00:00:00Z',
  }
  const expansion = expand(request, new Map([['feeds', { ...feeds, rows: ask.rows ?? feeds.rows }]]))
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
  return judge(expansion, {
    connections: {
      drop: { kind: 'files', configured: true, cap: null },
      wh: { kind: 'postgres', configured: true, cap: 8 },
    },
    files,
    loaded: new Map(),
    sources: new Map(),
    shapes: new Map(),
    history: new Map(),
    ...ask.facts,
  })
}

const codes = (ask: Ask): FindingCode[] => plan(ask).findings.map(({ code }) => code)
const message = (ask: Ask, code: FindingCode) =>
  plan(ask).findings.find((finding) => finding.code === code)?.message

describe('planning', () => {
  it('makes a load of every row and slice, slices first, with every text resolved', () => {
    const { loads, findings } = plan()
    expect(loads.map(({ key }) => key)).toEqual([
      'a · 2026-11-01',
      'b · 2026-11-01',
      'a · 2026-11-02',
      'b · 2026-11-02',
    ])
    expect(loads[3]!.resolved[1]).toMatchObject({ kind: 'path', text: 'flow_b_20261102.csv' })
    expect(findings).toEqual([])
  })
  it('keeps the loads for which the filter holds', () => {
    expect(
      plan({ only: `row.feed == 'b' && slice.label > '2026-11-01'` }).loads.map(({ key }) => key),
    ).toEqual(['b · 2026-11-02'])
  })
  it('says once what is the same, and shows only the columns that differ', () => {
    const { columns, same } = differing(plan(), 0)
    expect(columns.map(({ label }) => label)).toEqual(['feed', 'slice', 'file'])
    expect(same.map(({ label, text }) => `${label} ${text}`)).toEqual([
      'kind flow',
      'target flow',
      'active true',
      'store drop',
      'into wh',
      'target raw.flow',
    ])
  })
  it('is deterministic, and its loads are rows × slices', () => {
    fc.assert(
      fc.property(fc.integer({ min: 0, max: 12 }), fc.integer({ min: 1, max: 9 }), (count, days) => {
        const rows = Array.from({ length: count }, (_, i) => ({
          feed: `f${i}`,
          kind: 'flow',
          target: 'flow',
          active: true,
        }))
        const ask = { rows, span: `2026-11-01/2026-11-${String(1 + days).padStart(2, '0')}` }
        expect(plan(ask).loads).toHaveLength(count * days)
        expect(plan(ask)).toEqual(plan(ask))
      }),
      { numRuns: 15 },
    )
  })
  it('forecasts by the history of like loads: median, and quartiles for the spread', () => {
    const history = new Map([
      ['', [10, 20, 30]],
      ['a', [10, 20, 30]],
      ['b', [10, 20, 30]],
    ])
    // four loads at the default of 4 at once
    expect(plan({ facts: { history } }).forecast).toEqual({ seconds: 20, low: 15, high: 25, known: 1 })
    expect(plan().forecast).toBeNull()
  })
})

const steps = (sql: string) => `      - id: bring\n        sql: {on: wh, text: ${JSON.stringify(sql)}}`
const whole = '{connection: wh, table: "raw.{row.target}", write: replace-all}'
const slicewise = '{connection: wh, table: "raw.{row.target}", write: replace-slice, slice_by: at}'
const appended = '{connection: wh, table: "raw.{row.target}", write: append}'
const oneFile = { files: "all_{format(slice.from, 'yyyyMMdd')}_{row.kind}.csv" }
const longName = 'x'.repeat(64)

/** For each finding: a case where it must speak, and one where it must be silent. */
describe('findings', () => {
  it.each<[FindingCode, string, Ask, Ask]>([
    ['target-clash', 'two loads replace the same table', { into: whole, span: '2026-11-01' }, { into: whole, span: '2026-11-01', only: `row.feed == 'a'` }],
    ['target-clash', 'two loads replace the same slice', { into: slicewise }, { into: slicewise, only: `row.feed == 'a'` }],
    ['target-clash', 'one file is appended twice', { into: appended, ...oneFile }, { into: appended }],
    [
      'target-clash', 'sources of one target have other columns',
      { found: { 'flow_b_20261101.csv': [{ path: 'flow_b_20261101.csv', size: 1, modified: '', header: ['id', 'other'] }] } },
      { found: { 'flow_b_20261101.csv': [{ path: 'flow_b_20261101.csv', size: 1, modified: '', header: ['v', 'id'] }] } },
    ],
    ['does-not-vary', 'no step uses the row', { steps: steps('select {slice.from}') }, { steps: steps('select {row.feed}, {slice.from}') }],
    ['does-not-vary', 'no step uses the slice', { steps: steps('select {row.feed}') }, { steps: steps('select {row.feed}'), span: '2026-11-01' }],
    ['does-not-vary', 'a parameter that nothing uses', { parameters: '{region: {default: all}}' }, { parameters: '{region: {default: all}}', roster: `{control: feeds, where: "row.active && param.region == 'all'"}` }],
    ['empty-roster', 'every row is filtered out', { roster: '{control: feeds, where: "false"}' }, {}],
    ['not-one-row', 'two rows where one was meant', { roster: '{control: feeds, where: row.active, exactly_one: true}' }, { roster: `{control: feeds, where: "row.feed == 'a'", exactly_one: true}` }],
    ['unknown-name', 'a column that is not there', { files: '{row.fed}_{slice.label}.csv' }, {}],
    ['unknown-name', 'a control table that is not there', { roster: '{control: feedz}' }, {}],
    ['unknown-name', 'a step that comes later', { steps: steps('select {step.after.rows_read}, {row.feed}, {slice.from}') }, {}],
    ['empty-value', 'an empty value in a path', { rows: [{ feed: 'a', kind: null, target: 'flow', active: true }] }, { rows: [{ feed: 'a', kind: 'flow', target: 'flow', active: true }] }],
    ['empty-value', 'an empty value in a table’s name', { rows: [{ feed: 'a', kind: 'x', target: '', active: true }] }, {}],
    ['no-file', 'nothing matches', { found: { 'flow_a_20261101.csv': [] } }, {}],
    ['empty-file', 'a file of 0 bytes', { found: { 'flow_a_20261101.csv': [{ path: 'flow_a_20261101.csv', size: 0, modified: '' }] } }, {}],
    ['many-files', 'two match', { found: { 'flow_a_20261101.csv': [{ path: 'x', size: 1, modified: '' }, { path: 'y', size: 1, modified: '' }] } }, {}],
    ['raw-sql', 'raw text', { steps: steps('select {raw(row.feed)}, {slice.from}') }, { steps: steps('select {name(row.feed)}, {slice.from}') }],
    ['name-too-long', '64 bytes', { into: `{connection: wh, table: "raw.${longName}", write: append}`, only: `row.feed == 'a'` }, { into: `{connection: wh, table: "raw.${longName.slice(1)}", write: append}`, only: `row.feed == 'a'` }],
    ['connection', 'no such connection', { into: '{connection: whh, table: "raw.{row.target}", write: append}' }, {}],
    ['connection', 'no settings here', { facts: { connections: { drop: { kind: 'files', configured: true, cap: null }, wh: { kind: 'postgres', configured: false, cap: null } } } }, {}],
    ['connection', 'a database where a store is needed', { facts: { connections: { drop: { kind: 'postgres', configured: true, cap: null }, wh: { kind: 'postgres', configured: true, cap: null } } } }, {}],
    ['schema-changed', 'the file has a column more than at the last load, and one less', { facts: { shapes: new Map([[shapeKey('bring', 'a'), [{ name: 'id' }, { name: 'old' }]]]) } }, { facts: { shapes: new Map([[shapeKey('bring', 'a'), [{ name: 'v' }, { name: 'id' }]]]) } }],
    ['slice-open', 'today is not over', { now: '2026-11-02T12:00:00Z' }, { now: '2026-11-03T00:00:00Z' }],
    ['over-cap', 'four at once over a cap of two', { facts: { connections: { drop: { kind: 'files', configured: true, cap: null }, wh: { kind: 'postgres', configured: true, cap: 2 } } } }, {}],
    ['range-count', 'a range states its count', { roster: '{range: {as: year, from: 2015, to: 2025}}', steps: steps('select {row.year}, {slice.from}') }, {}],
    ['parameter', 'a value of another type', { parameters: '{n: {type: integer, default: 1}}', given: { n: 'many' } }, { parameters: '{n: {type: integer, default: 1}}', given: { n: '3' } }],
    ['expression', 'what cannot be worked out', { files: '{row.feed + 1}_{slice.label}.csv' }, {}],
  ])('%s speaks where %s, and only there', (code, _what, speaks, silent) => {
    expect(codes(speaks)).toContain(code)
    expect(codes(silent)).not.toContain(code)
  }) // prettier-ignore

  // common practice, no source (product.md §14)
  it('says that a range from 2015 to 2025 is 11 values', () => {
    expect(
      message(
        {
          roster: '{range: {as: year, from: 2015, to: 2025}}',
          steps: steps('select {row.year}, {slice.from}'),
        },
        'range-count',
      ),
    ).toContain('11 values, both ends included')
  })
  // common practice, no source (product.md §14)
  it('says how often a loop that does not vary does the same work', () => {
    expect(message({ steps: steps('select {slice.from}') }, 'does-not-vary')).toContain('done 2 times')
  })
  it('tells a file that was already loaded from one that changed since', () => {
    const loaded = (size: number) => ({
      facts: {
        loaded: new Map([
          [
            loadedKey('drop', 'flow_a_20261101.csv', 'wh/raw.flow'),
            {
              path: 'flow_a_20261101.csv',
              size,
              modified: '2026-11-02T00:00:00Z',
              sha256: '',
              target: '',
              run: 7,
              at: '',
            },
          ],
        ]),
      },
    })
    expect(message(loaded(10), 'already-loaded')).toContain('by run 7')
    expect(codes(loaded(11))).not.toContain('already-loaded')
  })
  it('says what changed at a table that is read, its types too', () => {
    const table = `      - id: bring
        transfer:
          from: {connection: wh, table: "src.{row.feed}"}
          into: {connection: wh, table: "raw.{row.target}", write: append}`
    const facts = {
      shapes: new Map([
        [
          shapeKey('bring', 'a'),
          [
            { name: 'id', type: 'integer' },
            { name: 'x', type: 'text' },
          ],
        ],
      ]),
      sources: new Map([
        [
          sourceKey('wh', 'src.a'),
          [
            { name: 'id', type: 'bigint' },
            { name: 'y', type: 'text' },
          ],
        ],
      ]),
    }
    expect(message({ steps: table, facts, only: "row.feed == 'a'" }, 'schema-changed')).toContain(
      'other columns than at its last load: new: y; gone: x; id was integer, is bigint',
    )
  })
  it('names the place of a mistyped name, and the nearest that exists', () => {
    const [finding] = plan({ files: 'x_{row.fed}_{slice.label}.csv' }).findings
    expect(finding).toMatchObject({
      level: 'stop',
      message: 'row.fed does not exist; did you mean row.feed?',
      where: { step: 'bring', path: 'parts.0.do.0.transfer.from.files', offset: 3 },
    })
  })
  it('stops the run unless every load it concerns is left out', () => {
    const { findings } = plan({ into: whole, span: '2026-11-01' })
    expect(stopsFor(findings, new Set())).toHaveLength(1)
    expect(stopsFor(findings, new Set([0, 1]))).toHaveLength(0)
  })
})
