import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { saveJob } from '../jobs/versions'
import { testBench, type TestBench } from '../../tests/support/bench'
import { makePlan } from './plan'

let bench: TestBench
beforeAll(async () => (bench = await testBench()))
afterAll(() => bench.close())

/** Letters that mean something to COPY, to an array of Postgres, or to JSON (PostgreSQL 15, COPY; 8.15.2; RFC 8259). */
const odd = [
  'a\tb',
  'two\nlines',
  'a\r',
  '\\N',
  '\\',
  'NULL',
  '{a,b}',
  '"quoted"',
  "it's",
  '',
  ' blank ',
  'é\u{1F600}',
  '\\x41',
  '\\.',
]

/** Plans a job with these rows and keeps the plan; few loads are written another way than many. */
async function kept(name: string, rows: readonly string[]) {
  const list = rows.map((text) => `{n: ${JSON.stringify(text)}}`).join(', ')
  await saveJob(bench.engine, `mattock: job/1\nname: ${name}\ntitle: ${name}\nslices: {every: P1D, zone: UTC, from: 2026-11-01}\nparts:\n  - each: {roster: {rows: [${list}], key: [n]}}\n    do:\n      - {id: own, log: {text: "{row.n} {slice.label}"}}\n      - {id: row, log: {text: "{row.n}"}}\n      - {id: same, log: {text: same}}\n`, { by: 'test' })
  const { id } = await makePlan(bench.engine, { job: name, environment: 'dev', parameters: {}, span: '2026-11-01/2026-11-03', by: 'test' })
  return {
    rows: await bench.own('select part, "row", key, cells, resolved from mattock.plan_row where plan_id = $1 order by "row"', [id]),
    slices: await bench.own('select part, slice, "from", "to", label, resolved from mattock.plan_slice where plan_id = $1 order by slice', [id]),
    loads: await bench.own('select number, part, "row", slice, title, resolved, files, mark, "left" from mattock.planned_load where plan_id = $1 order by number', [id]),
    loadsSaid: (await bench.own('select loads from mattock.plan where id = $1', [id]))[0]!.loads,
  }
} // prettier-ignore

describe('a plan that is kept', () => {
  it('holds every letter of its rows, whichever way it is written', async () => {
    const filler = Array.from({ length: 400 }, (_, i) => `filler ${i}`)
    const few = await kept('few', odd)
    const many = await kept('many', [...odd, ...filler])
    expect([few.loadsSaid, many.loadsSaid]).toEqual([2 * odd.length, 2 * (odd.length + filler.length)])
    expect(few.rows.map(({ cells }) => (cells as { n: string }).n)).toEqual(odd)
    expect(few.rows).toEqual(many.rows.slice(0, odd.length))
    expect(few.slices).toEqual(many.slices)
    const ofOdd = ({ row }: Record<string, unknown>) => (row as number) < odd.length
    const plain = (load: Record<string, unknown>) => ({ ...load, number: 0 })
    expect(few.loads.map(plain)).toEqual(many.loads.filter(ofOdd).map(plain))
    expect(few.loads[1]!.resolved).toEqual(['two\nlines 2026-11-01'])
  })
  it('is all there or not at all', async () => {
    const before = await bench.own('select count(*)::int as n from mattock.plan')
    // Postgres holds no zero byte (PostgreSQL 15, 8.3)
    await expect(kept('zero', ['a', 'b\u0000c'])).rejects.toThrow()
    expect(await bench.own('select count(*)::int as n from mattock.plan')).toEqual(before)
  })
  it('of one load, without rows or slices', async () => {
    await saveJob(bench.engine, 'mattock: job/1\nname: once\ntitle: Once\nparts:\n  - once: [{id: tell, log: {text: hello}}]\n', { by: 'test' }) // prettier-ignore
    const { id } = await makePlan(bench.engine, {
      job: 'once',
      environment: 'dev',
      parameters: {},
      by: 'test',
    })
    expect(await bench.own('select number, "row", slice, title from mattock.planned_load where plan_id = $1', [id])).toEqual([{ number: 0, row: null, slice: null, title: 'tell' }]) // prettier-ignore
  })
})
