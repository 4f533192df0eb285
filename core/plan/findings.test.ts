import { sourceId } from '../roster/gathered'
import { describe, expect, it } from 'vitest'
import type { Table } from '../value'
import { findingKinds } from './findings'
import { stopsFor } from './plan'
import { plan, type Ask } from './planned.fixture'
import {
  findingCodes,
  loadedKey,
  shapeKey,
  sourceKey,
  type FileFact,
  type FileHead,
  type BeforeFact,
  type FindingCode,
  type StatementFact,
  markKey,
  type MarkFact,
  type TableFact,
  type WaitFact,
  type MomentFact,
} from './types'

const codes = (ask: Ask): FindingCode[] => plan(ask).findings.map(({ code }) => code)
const message = (ask: Ask, code: FindingCode) =>
  plan(ask).findings.find((finding) => finding.code === code)?.message

const steps = (sql: string) => `      - id: bring\n        sql: {on: wh, text: ${JSON.stringify(sql)}}`
const whole = '{connection: wh, table: "raw.{row.target}", write: replace-all}'
const slicewise = '{connection: wh, table: "raw.{row.target}", write: replace-slice, slice_by: at}'
const appended = '{connection: wh, table: "raw.{row.target}", write: append}'
const oneFile = { files: "all_{format(slice.from, 'yyyyMMdd')}_{row.kind}.csv" }
const longName = 'x'.repeat(64)

const rowA = { feed: 'a', kind: 'flow', target: 'flow', active: true }
const loadedWith = (size: number): Ask => ({
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
const query: Ask = {
  roster: '{query: {on: wh, text: "select feed from x where n = {param.n}"}, key: [feed]}',
  parameters: '{n: {type: integer, default: 3}}',
  steps: steps('select {row.feed}, {slice.from}'),
}
const querySource = sourceId({
  kind: 'query',
  connection: 'wh',
  text: 'select feed from x where n = $1',
  values: ['3'],
})
const readTable: Table = {
  columns: [{ name: 'feed', type: 'text' }],
  key: ['feed'],
  rows: [{ feed: 'a' }, { feed: 'b' }],
}
const day = (of: number) => ({ from: `2026-11-0${of}T00:00:00Z`, to: `2026-11-0${of + 1}T00:00:00Z` })
const before = (given: Partial<BeforeFact>): BeforeFact => ({ run: 5, rows: {}, slices: [], ...given })
const rights = (given: Partial<TableFact>, table = 'raw.flow') =>
  new Map([
    [sourceKey('wh', table), { exists: true, mayRead: true, mayWrite: true, user: 'loader', ...given }],
  ])
const sinceStep = `      - id: bring
        transfer:
          from: { connection: wh, table: src.a }
          into: { connection: wh, table: 'raw.{row.feed}', write: append }
          since: { column: id, kept_as: '{slice.label}' }`
const marked = (given: Partial<MarkFact>) =>
  new Map([[markKey('wh', '2026-11-01'), { value: '5', top: '9', ahead: false, ties: false, ...given }]])
/** Jobs that may be waited for, sliced by days. */
const waited = (jobs: Record<string, Partial<WaitFact>>) => ({
  waits: new Map(Object.entries(jobs).map(([name, more]): [string, WaitFact] => [name, { slices: { every: 'P1D', zone: 'UTC', from: '2026-01-01' }, waitsFor: [], ...more }])),
}) // prettier-ignore
const timeStep = `      - {id: clear, sql: {on: warehouse, text: "delete from t where at >= {slice.from}"}}`
const met = (fact: MomentFact) =>
  new Map([[sourceKey('warehouse', 'delete from t where at >= $1::timestamptz'), fact]])
const callStep = (name: string) =>
  `      - {id: call, job: {name: ${name}, parameters: {feed: '{row.feed} {slice.label}'}}}`
/** Two steps in this order: one that loads the files, one that takes them away. */
const takenAway = (...order: ('load' | 'clear')[]): Ask => {
  const files = "from: {store: drop, files: '{row.feed}_{slice.label}.csv'}"
  const all = {
    load: `      - {id: load, transfer: {${files}, into: {connection: wh, table: raw.flow, write: append}}}`,
    clear: `      - {id: clear, files: {do: delete, ${files}, covered_by: [load]}}`,
  }
  return { steps: order.map((name) => all[name]).join('\n') }
}
const tableStep = `      - id: bring
        transfer:
          from: {connection: wh, table: "src.{row.feed}"}
          into: {connection: wh, table: "raw.{row.target}", write: upsert, key: [id]}`
const emptying = (text: string, fact: StatementFact): Ask => ({
  steps: `      - id: clear
        sql: {on: wh, text: "${text}"}
      - id: bring
        transfer:
          from: {store: drop, files: "{row.kind}_{row.feed}_{format(slice.from, 'yyyyMMdd')}.csv"}
          into: {connection: wh, table: "raw.flow", write: append}`,
  facts: { statements: new Map([[text, fact]]) },
})
const turns: Record<string, StatementFact> = {
  fill: { reads: ['raw.x'], writes: ['raw.staging'], empties: [] },
  empty: { reads: [], writes: [], empties: ['raw.staging'] },
  use: { reads: ['raw.staging'], writes: ['raw.y'], empties: [] },
}
/** One load whose statements come in this order. */
const inTurn = (...order: string[]): Ask => ({
  only: "row.feed == 'a' && slice.label == '2026-11-01'",
  steps: order.map((name) => `      - {id: ${name}, sql: {on: wh, text: ${name.split(',')[0]!}}}`).join('\n'),
  facts: { statements: new Map(Object.entries(turns)) },
})

/** The file of load a, with what its beginning shows. */
const headed = (head: FileHead, header = ['id', 'v'], named?: FileFact['named']) => ({
  'flow_a_20261101.csv': [
    { path: 'flow_a_20261101.csv', size: 9, modified: '', header, head, ...(named ? { named } : {}) },
  ],
})

/** For each finding: a case where it must speak, and one where it must be silent. */
describe('findings', () => {
  const cases: [FindingCode, string, Ask, Ask][] = [
    ['target-clash', 'two loads replace the same table', { into: whole, span: '2026-11-01' }, { into: whole, span: '2026-11-01', only: `row.feed == 'a'` }],
    ['target-clash', 'two loads replace the same slice', { into: slicewise }, { into: slicewise, only: `row.feed == 'a'` }],
    ['target-clash', 'one file is appended twice', { into: appended, ...oneFile }, { into: appended }],
    [
      'target-clash', 'sources of one target have other columns',
      { found: { 'flow_b_20261101.csv': [{ path: 'flow_b_20261101.csv', size: 1, modified: '', header: ['id', 'other'] }] } },
      { found: { 'flow_b_20261101.csv': [{ path: 'flow_b_20261101.csv', size: 1, modified: '', header: ['v', 'id'] }] } },
    ],
    [
      'target-clash', 'columns come later where none may',
      { found: { 'flow_b_20261101.csv': [{ path: 'flow_b_20261101.csv', size: 1, modified: '', header: ['id', 'v', 'new'] }] } },
      { into: '{connection: wh, table: "raw.{row.target}", write: upsert, key: [id], unknown_columns: add}', found: { 'flow_b_20261101.csv': [{ path: 'flow_b_20261101.csv', size: 1, modified: '', header: ['id', 'v', 'new'] }] } },
    ],
    ['does-not-vary', 'no step uses the row', { steps: steps('select {slice.from}') }, { steps: steps('select {row.feed}, {slice.from}') }],
    ['does-not-vary', 'no step uses the slice', { steps: steps('select {row.feed}') }, { steps: steps('select {row.feed}'), span: '2026-11-01' }],
    ['does-not-vary', 'a parameter that nothing uses', { parameters: '{region: {default: all}}' }, { parameters: '{region: {default: all}}', roster: `{control: feeds, where: "row.active && param.region == 'all'"}` }],
    ['empty-roster', 'every row is filtered out', { roster: '{control: feeds, where: "false"}' }, {}],
    ['not-one-row', 'two rows where one was meant', { roster: '{control: feeds, where: row.active, exactly_one: true}' }, { roster: `{control: feeds, where: "row.feed == 'a'", exactly_one: true}` }],
    ['unknown-name', 'a column that is not there', { files: '{row.fed}_{slice.label}.csv' }, {}],
    ['unknown-name', 'a control table that is not there', { roster: '{control: feedz}', gathered: [[sourceId({ kind: 'control', name: 'feedz' }), { code: 'unknown-name', message: 'there is no control table "feedz"', where: {} }]] }, {}],
    ['unknown-name', 'a step that comes later', { steps: steps('select {step.after.rows_read}, {row.feed}, {slice.from}') }, {}],
    ['empty-value', 'an empty value in a path', { rows: [{ feed: 'a', kind: null, target: 'flow', active: true }] }, { rows: [{ feed: 'a', kind: 'flow', target: 'flow', active: true }] }],
    ['empty-value', 'an empty value in a table’s name', { rows: [{ feed: 'a', kind: 'x', target: '', active: true }] }, {}],
    ['no-file', 'nothing matches', { found: { 'flow_a_20261101.csv': [] } }, {}],
    ['empty-file', 'a file of 0 bytes', { found: { 'flow_a_20261101.csv': [{ path: 'flow_a_20261101.csv', size: 0, modified: '' }] } }, {}],
    ['many-files', 'two match', { found: { 'flow_a_20261101.csv': [{ path: 'x', size: 1, modified: '' }, { path: 'y', size: 1, modified: '' }] } }, {}],
    ['unreadable-file', 'a page where a table should be', { found: headed({ unreadable: 'an HTML page, not a table' }) }, { found: headed({}) }],
    ['header-only', 'names and no rows', { found: headed({ headerOnly: true }) }, { found: headed({}) }],
    ['ragged-file', 'a line with a field more', { found: headed({ ragged: { line: 7, fields: 3, wanted: 2 } }) }, { found: headed({}) }],
    ['odd-values', 'a text where a number is due', { found: headed({ odd: { looked: 9, columns: [{ column: 'v', type: 'integer', value: 'many', line: 4, count: 2 }] } }) }, { found: headed({}) }],
    [
      'other-columns', 'a column that the table lacks',
      { found: headed({}, ['id', ' V ', 'colour']), facts: { targets: new Map([[sourceKey('wh', 'raw.flow'), [{ name: 'id' }, { name: 'v' }]]]) } },
      { found: headed({}, ['id', ' V ']), facts: { targets: new Map([[sourceKey('wh', 'raw.flow'), [{ name: 'id' }, { name: 'v' }]]]) } },
    ],
    ['catalog-names', 'names of the catalog that the job leaves', { found: headed({}, undefined, { dataset: 'drop.flow', columns: ['meter'] }) }, { found: headed({}) }],
    ['target-kind', 'a view', { facts: { tables: rights({ view: true }, 'raw.flow') } }, { facts: { tables: rights({}, 'raw.flow') } }],
    ['like-target', 'a table that differs in case and signs', { facts: { tables: rights({ exists: false, others: ['raw.Fl-ow'] }, 'raw.flow') } }, { facts: { tables: rights({ exists: false, others: ['raw.flows'] }, 'raw.flow') } }],
    ['like-target', 'tables to be made that differ in blanks only', { rows: [{ feed: 'a', kind: 'x', target: 'flow', active: true }, { feed: 'b', kind: 'x', target: ' Flow', active: true }], facts: { tables: new Map([...rights({ exists: false }, 'raw.flow'), ...rights({ exists: false }, 'raw. Flow')]) } }, { rows: [{ feed: 'a', kind: 'x', target: 'flow', active: true }, { feed: 'b', kind: 'x', target: 'flows', active: true }], facts: { tables: new Map([...rights({ exists: false }, 'raw.flow'), ...rights({ exists: false }, 'raw.flows')]) } }],
    ['dotted-name', 'a schema within the value of a name', { rows: [{ feed: 'a', kind: 'x', target: 'old.flow', active: true }], facts: { tables: rights({ exists: false }, 'raw.old.flow') } }, { rows: [{ feed: 'a', kind: 'x', target: 'old.flow', active: true }], facts: { tables: rights({ exists: true }, 'raw.old.flow') } }],
    ['raw-sql', 'raw text', { steps: steps('select {raw(row.feed)}, {slice.from}') }, { steps: steps('select {name(row.feed)}, {slice.from}') }],
    ['name-too-long', '64 bytes', { into: `{connection: wh, table: "raw.${longName}", write: append}`, only: `row.feed == 'a'` }, { into: `{connection: wh, table: "raw.${longName.slice(1)}", write: append}`, only: `row.feed == 'a'` }],
    ['connection', 'no such connection', { into: '{connection: whh, table: "raw.{row.target}", write: append}' }, {}],
    ['connection', 'no settings here', { facts: { connections: { drop: { kind: 'files', configured: true, cap: null }, wh: { kind: 'postgres', configured: false, cap: null } } } }, {}],
    ['connection', 'no worker reaches it', { facts: { connections: { drop: { kind: 'files', configured: true, cap: null, unreached: ['office', 'plant'] }, wh: { kind: 'postgres', configured: true, cap: null } } } }, {}],
    ['connection', 'a database where a store is needed', { facts: { connections: { drop: { kind: 'postgres', configured: true, cap: null }, wh: { kind: 'postgres', configured: true, cap: null } } } }, {}],
    ['schema-changed', 'the file has a column more than at the last load, and one less', { facts: { shapes: new Map([[shapeKey('bring', 'a'), [{ name: 'id' }, { name: 'old' }]]]) } }, { facts: { shapes: new Map([[shapeKey('bring', 'a'), [{ name: 'v' }, { name: 'id' }]]]) } }],
    ['other-file', 'one file in place of another', { instead: [{ row: 'a', from: '2026-11-01T00:00:00Z', replaces: 'flow_a_20261101.csv', file: 'mail/flow a.csv' }] }, { instead: [{ row: 'a', from: '2026-10-01T00:00:00Z', replaces: 'flow_a_20261001.csv', file: 'mail/flow a.csv' }] }],
    ['slice-open', 'today is not over', { now: '2026-11-02T12:00:00Z' }, { now: '2026-11-03T00:00:00Z' }],
    ['over-cap', 'four at once over a cap of two', { facts: { connections: { drop: { kind: 'files', configured: true, cap: null }, wh: { kind: 'postgres', configured: true, cap: 2 } } } }, {}],
    ['range-count', 'a range states its count', { roster: '{range: {as: year, from: 2015, to: 2025}}', steps: steps('select {row.year}, {slice.from}') }, {}],
    ['parameter', 'a value of another type', { parameters: '{n: {type: integer, default: 1}}', given: { n: 'many' } }, { parameters: '{n: {type: integer, default: 1}}', given: { n: '3' } }],
    ['expression', 'what cannot be worked out', { files: '{row.feed + 1}_{slice.label}.csv' }, {}],
    ['already-loaded', 'the same file went into the same target', loadedWith(10), loadedWith(11)],
    ['outside-store', 'a path that climbs out', { rows: [{ ...rowA, kind: '../../etc' }] }, { rows: [{ ...rowA, kind: 'a..b' }] }],
    ['outside-store', 'a path from the root', { rows: [{ ...rowA, kind: '/etc' }] }, {}],
    ['key-repeats', 'two rows of one key', { roster: '{control: feeds, key: [kind]}' }, { roster: '{control: feeds, key: [kind, feed]}' }],
    ['roster', 'a source that cannot be read', { ...query, gathered: [[querySource, { code: 'roster', message: 'relation "x" does not exist', where: {} }]] }, { ...query, gathered: [[querySource, readTable]] }],
    ['roster-jump', 'half of the rows are gone', { facts: { before: before({ rows: { 0: 9 } }) } }, { facts: { before: before({ rows: { 0: 3 } }) } }],
    ['append-repeats', 'an appending part with slices', { into: appended }, {}],
    ['append-repeats', 'a slice that was loaded before', { into: appended, facts: { before: before({ slices: [day(1)] }) } }, { into: slicewise, facts: { before: before({ slices: [day(1)] }) } }],
    ['slices-overlap', 'days were loaded as weeks', { facts: { before: before({ slices: [{ from: '2026-10-29T00:00:00Z', to: '2026-11-05T00:00:00Z' }] }) } }, { facts: { before: before({ slices: [day(1), day(2)] }) } }],
    ['slices-overlap', 'a gap after what was loaded', { span: '2026-11-05', facts: { before: before({ slices: [day(1)] }) } }, { span: '2026-11-02', facts: { before: before({ slices: [day(1)] }) } }],
    ['cleared-too-early', 'each load empties what others fill', emptying('truncate raw.flow', { reads: [], writes: [], empties: ['raw.flow'] }), emptying('truncate raw.other', { reads: [], writes: [], empties: ['raw.other'] })],
    ['cleared-too-early', 'filled, emptied, read', inTurn('fill', 'empty', 'use'), inTurn('empty', 'fill', 'use')],
    ['cleared-too-early', 'emptied beside a step that fills it', inTurn('fill', 'empty, after: []', 'use'), inTurn('fill', 'use', 'empty, after: [use]')],
    ['circle', 'two steps that wait for each other', { steps: `      - {id: a, after: [b], log: {text: "{row.feed} {slice.label}"}}\n      - {id: b, log: {text: x}}` }, { steps: `      - {id: a, after: [], log: {text: "{row.feed} {slice.label}"}}\n      - {id: b, log: {text: x}}` }],
    ['circle', 'a step that waits for itself', { steps: `      - {id: a, after: [a], log: {text: "{row.feed} {slice.label}"}}` }, {}],
    ['unknown-name', 'a step that is not in this part', { steps: `      - {id: first, log: {text: "{row.feed} {slice.label}"}}\n      - {id: second, after: [frist], log: {text: x}}` }, {}],
    ['unknown-name', 'a step that runs beside it', { steps: `      - {id: first, log: {text: "{row.feed} {slice.label}"}}\n      - {id: second, after: [], log: {text: "{step.first.rows_read}"}}` }, { steps: `      - {id: first, log: {text: "{row.feed} {slice.label}"}}\n      - {id: second, log: {text: "{step.first.rows_read}"}}` }],
    ['unknown-name', 'a condition with a name that is not there', { steps: `      - {id: first, when: 'rwo.active', log: {text: "{row.feed} {slice.label}"}}` }, { steps: `      - {id: first, when: 'row.active', log: {text: "{row.feed} {slice.label}"}}` }],
    ['expression', 'a condition that is no expression', { steps: `      - {id: first, when: 'on success', log: {text: "{row.feed} {slice.label}"}}` }, {}],
    ['never-runs', 'a step for failures that waits for nothing', { steps: `      - {id: mend, when: failed, log: {text: "{row.feed} {slice.label}"}}` }, { steps: `      - {id: first, log: {text: "{row.feed} {slice.label}"}}\n      - {id: mend, when: failed, log: {text: x}}` }],
    ['watermark', 'a mark past the end of its source', { steps: sinceStep, facts: { marks: marked({ ahead: true, value: '9', top: '5' }) } }, { steps: sinceStep, facts: { marks: marked({}) } }],
    ['watermark', 'a column with ties', { steps: sinceStep, facts: { marks: marked({ ties: true }) } }, {}],
    ['watermark', 'no mark yet', { steps: sinceStep, facts: { marks: marked({ value: null }) } }, {}],
    ['circle', 'a job that comes to itself', { steps: callStep('b'), facts: { calls: new Map([['b', ['c']], ['c', ['b', 'test']]]) } }, { steps: callStep('b'), facts: { calls: new Map([['b', ['c']], ['c', ['b']]]) } }],
    ['unknown-name', 'a job that is not there', { steps: callStep('b'), facts: { calls: new Map([['a', []]]) } }, { steps: callStep('b'), facts: { calls: new Map([['b', []]]) } }],
    ['unknown-name', 'a job to wait for that is not there', { waits: '{job: {name: dyas}}', facts: waited({ days: {} }) }, { waits: '{job: {name: days}}', facts: waited({ days: {} }) }],
    ['circle', 'jobs that wait for each other', { waits: '{job: {name: days}}', facts: waited({ days: { waitsFor: ['other'] }, other: { waitsFor: ['test'] } }) }, { waits: '{job: {name: days}}', facts: waited({ days: { waitsFor: ['other'] }, other: { waitsFor: ['days'] } }) }],
    ['never-lines-up', 'a job without slices is waited for', { waits: '{job: {name: plain}}', facts: waited({ plain: { slices: undefined } }) }, { waits: '{job: {name: plain}}', facts: waited({ plain: {} }) }],
    ['never-lines-up', 'its slices begin later', { waits: '{job: {name: days}}', facts: waited({ days: { slices: { every: 'P1M', zone: 'UTC', from: '2026-12-01' } } }) }, { waits: '{job: {name: days}}', facts: waited({ days: { slices: { every: 'P1M', zone: 'UTC', from: '2026-10-01' } } }) }],
    ['never-lines-up', 'its slices ended before', { waits: '{job: {name: days}}', facts: waited({ days: { slices: { every: 'P1D', zone: 'UTC', from: '2026-01-01', until: '2026-11-02' } } }) }, { waits: '{job: {name: days}}', facts: waited({ days: { slices: { every: 'P1D', zone: 'UTC', from: '2026-01-01', until: '2026-11-03' } } }) }],
    ['no-file', 'a load waits for its files', { waits: '{files: {}}', found: { 'flow_a_20261101.csv': [] } }, { waits: '{files: {}}' }],
    ['cleared-too-early', 'files that a step reads after they are gone', takenAway('clear', 'load'), takenAway('load', 'clear')],
    ['time-column', 'a point in time where the database wants something else', { steps: timeStep, facts: { moments: met({ types: [], refused: 'operator does not exist' }) } }, { steps: timeStep, facts: { moments: met({ types: ['timestamp without time zone'] }) } }],
    ['connection', 'no right to write', { facts: { tables: rights({ mayWrite: false }) } }, { facts: { tables: rights({}) } }],
    ['unknown-name', 'a table that is not there', { steps: tableStep, facts: { tables: rights({ exists: false, others: ['src.ab'] }, 'src.a') } }, { steps: tableStep, facts: { tables: rights({}, 'src.a') } }],
  ] // prettier-ignore
  it.each(cases)('%s speaks where %s, and only there', (code, _what, speaks, silent) => {
    const { findings } = plan(speaks)
    expect(findings.map((finding) => finding.code)).toContain(code)
    expect(codes(silent)).not.toContain(code)
    for (const finding of findings) expect(findingKinds[finding.code].levels).toContain(finding.level)
  })
  it('has such a case for every finding there is', () => {
    expect(findingCodes.filter((code) => !cases.some(([known]) => known === code))).toEqual([])
  })
  it('groups what many loads have in common into one finding', () => {
    const found = { 'flow_a_20261101.csv': [], 'flow_b_20261101.csv': [] }
    const { findings } = plan({ found })
    expect(findings).toHaveLength(1)
    expect(findings[0]!.message).toBe('2 loads find no file and will fail: a · 2026-11-01, b · 2026-11-01')
    expect(findings[0]!.loads).toEqual([0, 1])
  })
  it('names the user who lacks a right, and the nearest table to one that is not there', () => {
    expect(message({ facts: { tables: rights({ mayWrite: false }) } }, 'connection')).toBe(
      'wh: its user loader may not write raw.flow',
    )
    const missing = {
      steps: tableStep,
      facts: { tables: rights({ exists: false, others: ['src.ab'] }, 'src.a') },
    }
    expect(message(missing, 'unknown-name')).toContain('there is no table src.a in wh; did you mean src.ab?')
    // it is silent where a step before makes the table, and speaks where one after it does
    const make = '      - {id: make, sql: {on: wh, text: make}}'
    const facts = {
      ...missing.facts,
      statements: new Map([['make', { reads: [], writes: ['src.a'], empties: [] }]]),
    }
    expect(codes({ steps: `${make}\n${tableStep}`, facts })).not.toContain('unknown-name')
    expect(codes({ steps: `${tableStep}\n${make}`, facts })).toContain('unknown-name')
  })
  it('counts a range by itself only: with a roster inside it the rows are others', () => {
    const nested = {
      roster: '{range: {as: year, from: 1, to: 3}, inner: {rows: [{n: 1}, {n: 2}]}}',
      steps: steps('select {row.year}, {row.n}, {slice.from}'),
    }
    expect(plan(nested).parts[0]!.roster!.rows).toHaveLength(6)
    expect(codes(nested)).not.toContain('range-count')
  })
  it('tells a roster that is empty for each of its outer rows by the rows where one was meant', () => {
    const nested = {
      roster: '{control: feeds, inner: {rows: [{n: 1}, {n: 2}], exactly_one: true}}',
      steps: steps('select {row.feed}, {row.n}, {slice.from}'),
    }
    expect(message(nested, 'not-one-row')).toBe(
      'a: expected 1 row, found 2; so it is for 3 outer rows: a, b, c',
    )
  })

  const many = (count: number, target: (i: number) => string | null) =>
    Array.from({ length: count }, (_, i) => ({
      feed: `f${i}`,
      kind: target(i),
      target: 'flow',
      active: true,
    }))
  const found = (ask: Ask, code: FindingCode) => plan(ask).findings.filter((finding) => finding.code === code)

  it('says once what is wrong in one text of many loads, with their rows', () => {
    const rows = many(1_000, (i) => (i % 200 === 7 ? null : i % 200 === 9 ? `x${i}` : '5'))
    const odd = found({ rows, steps: steps('select {int(row.kind)}, {row.feed}'), slices: '' }, 'expression')
    expect(odd).toMatchObject([
      {
        message:
          'f7, f207, f407 and 2 more: {int(row.kind)} cannot be worked out: int() was given nothing; ' +
          'f9: {int(row.kind)} cannot be worked out: "x9" is no whole number; and so for 4 other values',
        loads: [7, 9, 207, 209, 407, 409, 607, 609, 807, 809],
        where: { step: 'bring' },
      },
    ])
    const files = '{row.kind}_{row.feed}.csv'
    expect(
      found({ rows: many(40, (i) => (i > 36 ? '' : 'a')), files, slices: '' }, 'empty-value'),
    ).toMatchObject([
      { message: 'f37, f38, f39: {row.kind} is empty, and a path is built from it', loads: [37, 38, 39] },
    ])
  })
  it('says once that many tables are not there, and each where they are few', () => {
    const facts = (rows: readonly { kind: string | null }[]) => ({
      tables: new Map(
        rows.map(({ kind }) => [
          sourceKey('wh', `src.${kind}`),
          { exists: false, mayRead: true, mayWrite: true, user: 'u', others: ['src.t10x'] },
        ]),
      ),
    })
    const from = (count: number): Ask => {
      const rows = many(count, (i) => `t${i}`)
      const step = tableStep.replace('src.{row.feed}', 'src.{row.kind}')
      return { rows, steps: step, slices: '', facts: facts(rows) }
    }
    expect(found(from(3), 'unknown-name')).toHaveLength(3)
    const [one, ...others] = found(from(300), 'unknown-name')
    expect(others).toEqual([])
    expect(one!.message).toMatch(
      /^f0: there is no table src\.t0 in wh.*; and 299 more like it, of 300 loads in all$/,
    )
    expect(one!.loads).toHaveLength(300)
  })
  it('names the rows that share a key, and their loads', () => {
    const rows = [...many(3, () => 'a'), ...many(2, () => 'b')]
    expect(
      found({ rows, steps: steps('select {row.kind}, {row.feed}'), slices: '' }, 'key-repeats'),
    ).toMatchObject([
      {
        message: expect.stringMatching(/\(feed\): f0 \(rows 1, 4\), f1 \(rows 2, 5\); their loads/) as string,
        loads: [0, 1, 3, 4],
      },
    ])
  })

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
  it('tells which run loaded a file already', () => {
    expect(message(loadedWith(10), 'already-loaded')).toContain('by run 7')
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
