import { createHash } from 'node:crypto'
import { rmSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest'
import { verifyRun, type LoadProof } from '../engine/proof/verify'
import { rerun } from '../engine/running/runs'
import { testServer, type TestServer } from './support/server'
import { routes } from '../contract/routes'

// What a run left, looked at again: by markers, by the transactions that rows bear, by checksums of files.

let server: TestServer
beforeAll(async () => {
  server = await testServer()
  await server.worker(4)
  await server.rows('create schema raw')
})
afterAll(() => server.close())
beforeEach(async () => {
  await server.rows('drop table if exists raw.reading, raw."odd ""name""" cascade')
  await server.rows('create table raw.reading (meter text primary key, value integer)')
})

const verify = async (run: number): Promise<LoadProof[]> => {
  const found: LoadProof[] = []
  for await (const proof of verifyRun(server.engine, run, new AbortController().signal)) found.push(proof)
  return found
}
const lines = (from: number, to: number, value: number) =>
  `meter,value\n${Array.from({ length: to - from }, (_, i) => `m${from + i},${value}\n`).join('')}`
const job = (name: string, rows: string, into: string, more = '') => `mattock: job/1
name: ${name}
title: ${name}
parts:
  - each: {roster: {rows: [${rows}]}, at_once: 2}
    do:
      - id: bring-in
        transfer:
          from: {store: drop, files: "{row.file}.csv"}
          into: ${into}
          ${more}
`
const upsert = '{connection: warehouse, table: raw.reading, write: upsert, key: [meter]}'
const append = '{connection: warehouse, table: raw.reading, write: append}'

describe('a run that left rows', () => {
  it('holds, load for load, though several loads wrote into one table, and one left rows out', async () => {
    server.writeFile('a.csv', lines(0, 30, 1))
    server.writeFile('b.csv', `${lines(30, 70, 1)}m70,many\n`)
    const run = await server.load(job('holds', '{file: a}, {file: b}', append, 'rejects: keep'))
    expect(await verify(run)).toEqual([
      { key: 'a', holds: true, written: 30, found: 30, why: null },
      { key: 'b', holds: true, written: 40, found: 40, why: null },
    ])
  })

  it('says how many rows are not as they were left, and that no transfer wrote there', async () => {
    server.writeFile('a.csv', lines(0, 30, 1))
    const run = await server.load(job('changed', '{file: a}', upsert))
    await server.rows(`update raw.reading set value = 2 where meter in ('m3', 'm4')`)
    await server.rows(`delete from raw.reading where meter = 'm5'`)
    await server.rows('vacuum (freeze) raw.reading')
    expect(await verify(run)).toEqual([
      { key: 'a', holds: false, written: 30, found: 27, why: 'bring-in: 3 of 30 rows are not as they were left; no transfer of Mattock has written there since' },
    ]) // prettier-ignore
  })

  it('names the run that wrote there since; that one holds, and counts only what it wrote itself', async () => {
    server.writeFile('a.csv', lines(0, 30, 1))
    const first = await server.load(job('first', '{file: a}', upsert))
    server.writeFile('a.csv', `${lines(0, 5, 9)}${lines(5, 30, 1).slice('meter,value\n'.length)}`)
    const second = await server.load(job('second', '{file: a}', upsert))
    const [before] = await verify(first)
    expect(before).toMatchObject({ holds: false, found: 25 })
    expect(before!.why).toContain(`run ${second} of second wrote there last`)
    expect(await verify(second)).toMatchObject([{ holds: true, written: 5, found: 5 }])
  })

  it('says that a table or a marker is gone', async () => {
    server.writeFile('a.csv', lines(0, 3, 1))
    const run = await server.load(job('gone', '{file: a}', append))
    await server.rows('drop table raw.reading')
    expect((await verify(run))[0]!.why).toBe('bring-in: there is no table raw.reading in warehouse any more')
    await server.rows('create table raw.reading (meter text primary key, value integer)')
    await server.rows('delete from mattock.load_marker where run = $1', [run])
    expect((await verify(run))[0]!.why).toMatch(
      /^bring-in: its marker is not in warehouse any more; 3 of 3 rows/,
    )
  })

  it('tells nothing of a database that was restored: all rows bear new transactions', async () => {
    server.writeFile('a.csv', lines(0, 3, 1))
    const run = await server.load(job('restored', '{file: a}', append))
    // what pg_dump and pg_restore leave: the same rows, written once more
    await server.rows('create table raw.kept as select * from mattock.load_marker where run = $1', [run])
    await server.rows('delete from mattock.load_marker where run = $1', [run])
    await server.rows('insert into mattock.load_marker select * from raw.kept; drop table raw.kept')
    expect(await verify(run)).toEqual([
      { key: 'a', holds: false, written: 3, found: null, why: 'bring-in: warehouse was restored from a copy since: whose rows they are cannot be told' },
    ]) // prettier-ignore
  })

  it('counts in a table of parts, and in one whose name has quotes', async () => {
    await server.rows('drop table raw.reading')
    await server.rows('create table raw.reading (meter text, value integer) partition by list (value)')
    for (const value of [1, 2]) await server.rows(`create table raw.reading_${value} partition of raw.reading for values in (${value})`) // prettier-ignore
    server.writeFile('a.csv', `${lines(0, 10, 1)}x,2\n`)
    const run = await server.load(job('parts', '{file: a}', append))
    expect(await verify(run)).toMatchObject([{ holds: true, found: 11 }])
    await server.rows('create table raw."odd ""name""" (meter text, value integer)')
    const odd = await server.load(
      job(
        'odd',
        '{file: a}',
        `{connection: warehouse, table: ${JSON.stringify('raw.odd "name"')}, write: append}`,
      ),
    )
    expect(await verify(odd)).toMatchObject([{ holds: true, found: 11 }])
  })

  it('a failed load left nothing, and holds; a marker of it contradicts its record', async () => {
    server.writeFile('a.csv', 'meter,value\nm1,x\n')
    const run = await server.load(job('failed', '{file: a}', append))
    expect(await verify(run)).toMatchObject([{ holds: true, written: 0, found: null }])
    const [load] = await server.own('select id::int as id from mattock.load where run_id = $1', [run])
    await server.rows(
      `insert into mattock.load_marker (installation, load, step, run, outcome) values ($1, $2, 'bring-in', $3, '{"counts": {"written": 1}}')`,
      [server.engine.installation, load!.id, run],
    )
    expect((await verify(run))[0]!.why).toMatch(/its record says failed, and its marker in warehouse says/)
  })

  it('what a rerun kept is proven by the run that did it', async () => {
    server.writeFile('a.csv', lines(0, 3, 1))
    const run = await server.load(
      `${job('kept', '{file: a}', append)}      - {id: after, sql: {on: warehouse, text: 'select 1/0'}}\n`,
    )
    const again = await rerun(server.engine, run, { by: 'test', from: { failed: true } })
    await server.ended(again)
    expect(await verify(run)).toMatchObject([{ holds: true, written: 3, found: 3 }])
    expect(await verify(again)).toMatchObject([{ holds: true, written: 0, found: null }])
  })
})

it('a file that a run wrote is held against its checksum', async () => {
  await server.rows(`insert into raw.reading values ('a', 1), ('b', 2)`)
  const text = `mattock: job/1
name: out
title: out
parts:
  - once:
      - id: out
        transfer:
          from: {connection: warehouse, table: raw.reading}
          into: {store: drop, file: out.csv}
      - {id: copy, files: {do: copy, from: {store: drop, files: out.csv}, into: {store: drop, folder: kept}}}
`
  const run = await server.load(text)
  expect(await verify(run)).toMatchObject([{ holds: true, why: null }])
  writeFileSync(join(server.drop, 'out.csv'), 'meter,value\na,1\nb,3\n')
  expect((await verify(run))[0]!.why).toBe('out: out.csv in drop has another content')
  rmSync(join(server.drop, 'kept/out.csv'))
  expect((await verify(run))[0]!.why).toMatch(/copy: kept\/out.csv in drop is not there any more/)
})

describe('the proof of a run', () => {
  it('is one document: definition with checksum, people, balance, statements and files of every load', async () => {
    server.writeFile('a.csv', lines(0, 3, 1))
    const run = await server.load(job('told', '{file: a}', append))
    const proof = await server.operator.call(routes.proveRun, { params: { id: run } })
    expect(proof).toMatchObject({ mattock: 'proof/1', run: { id: run, job: 'told', state: 'done' }, balance: { read: 3, written: 3, balanced: true } }) // prettier-ignore
    expect(proof.definition.sha256).toBe(createHash('sha256').update(proof.definition.text).digest('hex'))
    expect(proof.people.map(({ did }) => did)).toEqual(['saved version 1 of told', expect.stringMatching(/^planned it/), 'began it: by hand']) // prettier-ignore
    const [load] = proof.loads
    // SHA-256 by an implementation of its own: node:crypto over the bytes that were put there
    expect(load!.detail[0]!.files[0]!.sha256).toBe(
      createHash('sha256')
        .update(lines(0, 3, 1))
        .digest('hex'),
    )
    expect(load!.detail[0]!.statements.some(({ text }) => text.startsWith('copy '))).toBe(true)
  })

  it('is taken by who may only look, without values; verifying asks for more', async () => {
    server.writeFile('a.csv', lines(0, 3, 1))
    const run = await server.load(job('looked', '{file: a}', append))
    const proof = await server.reader.call(routes.proveRun, { params: { id: run } })
    expect(proof.loads[0]!.row).toBeNull()
    expect(await server.reader.fault(routes.verifyRun, { params: { id: run } })).toMatchObject({
      status: 403,
    })
    const found = await server.operator.call(routes.verifyRun, { params: { id: run } })
    expect(found).toEqual({
      run,
      holds: true,
      loads: [{ key: 'a', holds: true, written: 3, found: 3, why: null }],
      counted: { loads: 1, broken: 0, written: 3, found: 3 },
    })
    expect(await server.operator.fault(routes.verifyRun, { params: { id: 99999 } })).toMatchObject({
      status: 404,
    })
  })
})
