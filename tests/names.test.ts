import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { testBench, type TestBench } from './support/bench'

/** Names that every JavaScript object has already: a column that is called so is a column like any other. */
const names = ['__proto__', 'constructor', 'plain']

let bench: TestBench
beforeAll(async () => {
  bench = await testBench()
  await bench.worker()
})
afterAll(() => bench.close())

const columns = names.map((name) => `"${name}" text`).join(', ')
const values = names.map((name) => `v of ${name}`)
const from = {
  csv: () => `${names.join(',')}\n${values.join(',')}\n`,
  // written by hand: an object of ours would not have the first of them
  ndjson: () => `{${names.map((name, i) => `"${name}": "${values[i]}"`).join(', ')}}\n`,
  json: () => `[{${names.map((name, i) => `"${name}": "${values[i]}"`).join(', ')}}]`,
}
const row = async (table: string) => {
  const rows = await bench.rows(
    `select array[${names.map((name) => `"${name}"`).join(', ')}] as all from ${table}`,
  )
  return rows.map(({ all }) => all)
}
const job = (name: string, transfer: string, roster = 'rows: [{n: 1}]') => `mattock: job/1
name: ${name}
title: ${name}
parts:
  - each: {roster: {${roster}}}
    do:
      - {id: move, ${transfer}}
`
const done = async (run: number) => {
  const [load] = await bench.own('select state, error from mattock.load where run_id = $1', [run])
  expect(load!.state, JSON.stringify(load!.error)).toBe('done')
}

describe('columns that are called as what every object has', () => {
  it.each(Object.keys(from) as (keyof typeof from)[])('come from a %s as they are', async (kind) => {
    const table = `from_${kind}`
    await bench.rows(`create table ${table} (${columns})`)
    bench.writeFile(`in.${kind}`, from[kind]())
    await done(await bench.load(job(`in-${kind}`, `transfer: {from: {store: drop, files: in.${kind}}, into: {connection: warehouse, table: ${table}, write: append}}`)))
    expect(await row(table)).toEqual([values])
  })
  it('are moved between tables, mapped, and written into files', async () => {
    for (const table of ['source', 'copy', 'mapped']) await bench.rows(`create table ${table} (${columns})`)
    await bench.rows('create unique index on copy (__proto__, constructor)')
    await bench.rows(`insert into source values (${names.map((_, i) => `$${i + 1}`).join(', ')})`, values)
    await done(await bench.load(job('copied', 'transfer: {from: {connection: warehouse, table: source}, into: {connection: warehouse, table: copy, write: upsert, key: [__proto__, constructor]}}')))
    expect(await row('copy')).toEqual([values])
    const map = 'constructor: __proto__, plain: constructor'
    await done(await bench.load(job('mapped', `transfer: {from: {connection: warehouse, query: select * from source}, into: {connection: warehouse, table: mapped, write: append}, columns: {${map}}}`)))
    expect(await row('mapped')).toEqual([[null, values[0], values[1]]])
    for (const kind of ['csv', 'ndjson', 'parquet', 'xlsx']) {
      await done(await bench.load(job(`out-${kind}`, `transfer: {from: {connection: warehouse, table: source}, into: {store: drop, file: back.${kind}}}`)))
      await bench.rows(`create table back_${kind} (${columns})`)
      await done(await bench.load(job(`back-${kind}`, `transfer: {from: {store: drop, files: back.${kind}}, into: {connection: warehouse, table: back_${kind}, write: append}}`)))
      expect([kind, await row(`back_${kind}`)]).toEqual([kind, [values]])
    }
  })
  it('are rows of a roster, but for the one that would be lost there: that is said', async () => {
    await bench.rows('create table rostered (v text)')
    const load = (id: string, text: string) =>
      bench.load(job(id, "sql: {on: warehouse, text: 'insert into rostered select {row.constructor} || {row.plain}'}", `query: {on: warehouse, text: ${JSON.stringify(text)}}`))
    await done(await load('rostered', `select 'one' as constructor, ' and two' as plain`))
    expect(await bench.rows('select v from rostered')).toEqual([{ v: 'one and two' }])
    await expect(load('lost', `select 'one' as constructor, ' and two' as plain, 'three' as __proto__`)).rejects.toThrow('a column of a roster cannot be called "__proto__"')
  })
  it('are no names in a document where what stands there would be lost', async () => {
    const transfer = 'transfer: {from: {connection: warehouse, table: source}, into: {connection: warehouse, table: copy, write: append}, columns: {__proto__: plain}}'
    await expect(bench.load(job('unsaid', transfer))).rejects.toThrow('nothing here can be called "__proto__"')
    await expect(bench.load(job('unsaid', transfer.replace('__proto__', '"__pr\\u006fto__"')))).rejects.toThrow('nothing here can be called "__proto__"')
  })
}) // prettier-ignore
