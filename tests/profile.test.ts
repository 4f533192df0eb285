import { afterAll, beforeAll, expect, it } from 'vitest'
import { readDataset } from '../engine/catalog/reading'
import { profileDataset } from '../engine/catalog/profile'
import { sampleRows } from '../engine/catalog/sample'
import { testBench, type TestBench } from './support/bench'
import { takeIn } from './support/surveyed'

let bench: TestBench
beforeAll(async () => {
  bench = await testBench()
  await bench.worker(2)
})
afterAll(() => bench.close())

/** Surveys a connection, takes everything in, and gives the dataset of that place. */
async function known(connection: string, locator: string) {
  await takeIn(bench, connection)
  const [row] = await bench.own('select id from mattock.dataset where connection = $1 and locator = $2', [
    connection,
    locator,
  ])
  return await readDataset(bench.engine, row!.id as number)
}

/**
 * Univariate sets of the NIST Statistical Reference Datasets. The three NumAcc sets are made by their published rule;
 * certified mean and sample standard deviation as on their pages (quoted from memory).
 */
const sets = {
  NumAcc1: { values: [10_000_001, 10_000_003, 10_000_002], mean: 10_000_002, deviation: 1 },
  NumAcc2: { values: [1.2, ...Array.from({ length: 500 }, () => [1.1, 1.3]).flat()], mean: 1.2, deviation: 0.1 },
  NumAcc3: { values: [1_000_000.2, ...Array.from({ length: 500 }, () => [1_000_000.1, 1_000_000.3]).flat()], mean: 1_000_000.2, deviation: 0.1 },
  NumAcc4: { values: [10_000_000.2, ...Array.from({ length: 500 }, () => [10_000_000.1, 10_000_000.3]).flat()], mean: 10_000_000.2, deviation: 0.1 },
} // prettier-ignore

it.each(Object.entries(sets))(
  '%s: mean and deviation as certified, in a file and in the database',
  async (name, { values, mean, deviation }) => {
    bench.writeFile(`${name}/v.csv`, `x\n${values.join('\n')}\n`)
    await bench.rows(`create table ${name} as select unnest($1::float8[]) as x`, [values])
    for (const entry of [
      await known('drop', `${name}/v*.csv`),
      await known('warehouse', `public.${name.toLowerCase()}`),
    ]) {
      const { rows, columns } = await profileDataset(bench.engine, entry)
      expect(rows).toBe(values.length)
      expect(columns[0]!.mean).toBeCloseTo(mean, 6)
      // NIST counts correct digits (log relative error): at least 7 of them
      expect(-Math.log10(Math.abs(columns[0]!.deviation! - deviation) / deviation || 1e-15)).toBeGreaterThan(
        7,
      )
    }
  },
)

it('profiles every kind of column the same way in a file and in the database', async () => {
  const rows = Array.from({ length: 1000 }, (_, i) => ({
    id: i,
    side: i % 7 === 0 ? null : ['north', 'south', 'north', 'east'][i % 4]!,
    day: new Date(Date.UTC(2026, 0, 1 + (i % 10))).toISOString().slice(0, 10),
    value: i / 10,
  }))
  const north = rows.filter(({ side }) => side === 'north').length
  const lines = rows.map(({ id, side, day, value }) =>
    [id, side ?? '', day, value.toFixed(1).replace('.', ',')].join(';'),
  )
  bench.writeFile('kinds/k.csv', `id;side;day;value\n${lines.join('\n')}\n`)
  await bench.rows('create table kinds (id bigint, side text, day date, value float8)')
  await bench.rows('insert into kinds select * from jsonb_populate_recordset(null::kinds, $1::jsonb)', [
    JSON.stringify(rows),
  ])
  const file = await profileDataset(bench.engine, await known('drop', 'kinds/k*.csv'))
  const table = await profileDataset(bench.engine, await known('warehouse', 'public.kinds'))
  expect(file.rows).toBe(1000)
  for (const profile of [file, table]) {
    const [id, side, day, value] = profile.columns
    expect(id).toMatchObject({ nulls: 0, min: '0', max: '999', mean: 499.5 })
    expect(side).toMatchObject({ nulls: 143, min: 'east', max: 'south', bins: [] })
    expect(side!.common[0]).toEqual({ value: 'north', count: north })
    expect(day!.min).toMatch(/^2026-01-01/)
    expect(day!.bins.reduce((sum, { count }) => sum + count, 0)).toBe(1000)
    expect(value!.mean).toBeCloseTo(49.95, 9)
    expect(value!.bins.map(({ count }) => count)).toEqual(Array(20).fill(50))
  }
  expect(table.columns.map(({ distinct }) => distinct)).toEqual([1000, 3, 10, 1000])
  // few values are counted in passing; only more are estimated, and say so
  expect(file.columns.map(({ distinct, estimated }) => [distinct, estimated])).toEqual(
    [1000, 3, 10, 1000].map((distinct) => [distinct, undefined]),
  )
})

it('says where the different values of files are estimated, and counts them where asked', async () => {
  const lines = Array.from({ length: 30_000 }, (_, i) => `${i % 20_011},${i % 5}`)
  bench.writeFile('many/m.csv', `id,kind\n${lines.join('\n')}\n`)
  const entry = await known('drop', 'many/m*.csv')
  const [id, kind] = (await profileDataset(bench.engine, entry)).columns
  expect(kind).toMatchObject({ distinct: 5 })
  expect(kind!.estimated).toBeUndefined()
  expect(id!.estimated).toBe(true)
  // HyperLogLog: within a tenth here
  expect(Math.abs(id!.distinct - 20_011)).toBeLessThan(2_001)
  const [counted] = (await profileDataset(bench.engine, entry, true)).columns
  expect(counted).toMatchObject({ distinct: 20_011 })
  expect(counted!.estimated).toBeUndefined()
})

it('shows first rows by the names a person gave', async () => {
  bench.writeFile('bare/b.csv', '1,x\n2,y\n')
  const entry = await known('drop', 'bare/b*.csv')
  const named = { ...entry, edits: { column_1: { name: 'meter' } } }
  expect(await sampleRows(bench.engine, named, 10)).toEqual({ columns: ['meter', 'column_2'], rows: [['1', 'x'], ['2', 'y']] }) // prettier-ignore
  expect((await sampleRows(bench.engine, await known('warehouse', 'public.kinds'), 2)).rows).toHaveLength(2)
})
