import { createHash } from 'node:crypto'
import { existsSync, readdirSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest'
import {
  clearTry,
  clearTries,
  goOn,
  readTry,
  startTry,
  stopTry,
  trySteps,
  type TryAsk,
} from '../engine/trying/try'
import { testBench, type TestBench } from './support/bench'

let bench: TestBench
beforeAll(async () => {
  bench = await testBench()
  await bench.worker(3)
  await bench.rows(`
    create schema raw; create schema clean;
    create table raw.reading (meter text, day date, value double precision, primary key (meter, day));
    insert into raw.reading values ('m1', '2026-11-01', 1), ('m2', '2026-11-01', 2);
    create table raw.big (n int); insert into raw.big select generate_series(1, 100001);
    create table clean.total (id serial primary key, meter text, n bigint);
    insert into clean.total (meter, n) values ('old', 7);
    create table clean.audit (what text);
    create function clean.note(what text) returns void language sql as $$ insert into clean.audit values (what) $$;
    create function clean.count_up(what text) returns int language sql as $$ insert into clean.audit values (what) returning 1 $$;
    create function clean.clear() returns void language plpgsql as $$ begin truncate clean.audit; end $$;
    create function clean.make() returns void language plpgsql as $$ begin create schema stray; end $$;
    create function clean.lose() returns void language plpgsql as $$ begin drop table clean.audit; end $$`)
  bench.writeFile('a.csv', 'meter,day,value\nm1,2026-11-01,1\nm2,2026-11-01,5\nm3,2026-11-01,9\n')
  bench.writeFile('b.csv', 'meter,day,value\nm9,2026-11-02,1\n')
  bench.writeFile('bad.csv', 'meter,day,value\nm1,2026-11-01,much\nm2,2026-11-01,5\n')
})
afterAll(() => bench.close())

/** Everything that a try must leave as it is: tables, rows, sequences, functions and files outside its own places. */
async function world(): Promise<string> {
  const tables = await bench.rows(
    `select n.nspname as schema, c.relname as name, c.relkind as kind from pg_class c join pg_namespace n on n.oid = c.relnamespace
     where n.nspname !~ '^(pg_|information_schema|mattock_try)' order by 1, 2`,
  )
  const said: unknown[] = [tables]
  for (const { schema, name, kind } of tables)
    if (kind === 'S') said.push(await bench.rows(`select last_value, is_called from ${String(schema)}."${String(name)}"`)) // prettier-ignore
    else if (kind === 'r') said.push(await bench.rows(`select count(*), md5(string_agg(t::text, '|' order by t::text)) from ${String(schema)}."${String(name)}" t`)) // prettier-ignore
  said.push(
    await bench.rows(`select nspname from pg_namespace where nspname !~ '^(pg_|mattock_try)' order by 1`),
  )
  said.push(
    await bench.rows(`select proname from pg_proc where pronamespace = 'clean'::regnamespace order by 1`),
  )
  for (const file of readdirSync(bench.drop, { recursive: true, withFileTypes: true }))
    said.push(file.isFile() ? [file.name, readFileSync(join(file.parentPath, file.name), 'utf8')] : file.name)
  return createHash('sha256').update(JSON.stringify(said)).digest('hex')
}

let before: string
beforeEach(async () => {
  before = await world()
})

const job = (steps: string, more = '') => `
mattock: job/1
name: trial
title: Trial
${more}
parts:
  - each: {roster: {rows: [{file: a.csv, place: east}, {file: b.csv, place: west}, {file: bad.csv, place: north}, {file: none.csv, place: south}], key: [place]}}
    do:
${steps.replace(/^/gm, '      ')}
`
const sql = (id: string, text: string) => `- {id: ${id}, sql: {on: warehouse, text: ${JSON.stringify(text)}}}`
const bringIn = `
- id: bring-in
  transfer:
    from: {store: drop, files: "{row.file}"}
    into: {connection: warehouse, table: raw.reading, write: upsert, key: [meter, day]}
    rejects: {up_to: 1}`

async function tried(text: string, ask: Partial<TryAsk> = {}) {
  const id = await startTry(bench.engine, { text, environment: 'dev', part: 0, rows: ['east'], holds: [], parameters: {}, by: 'test', ...ask }) // prettier-ignore
  return { id, ...(await ended(id)) }
}
async function ended(id: number) {
  for (;;) {
    const found = await readTry(bench.engine, id)
    if (!['waiting', 'running'].includes(found.state)) return { state: found.state, steps: await trySteps(bench.engine, id) } // prettier-ignore
    await new Promise((resolve) => setTimeout(resolve, 20))
  }
}
const out = (step: {
  looks: { side: string; title: string; before?: number; after?: number; rows: unknown }[]
}) => step.looks.filter(({ side }) => side === 'out')

describe('a try', () => {
  it('runs a row up to the end with the counts a run would have, and changes nothing', async () => {
    const text = job(`${bringIn}
${sql('sum-up', 'insert into clean.total (meter, n) select meter, count(*) from raw.reading group by meter order by meter')}
- {id: look, check: {on: warehouse, table: raw.reading, that: [{rows: {at_least: 3}}]}}`)
    const { state, steps } = await tried(text)
    expect(steps.map(({ state: one, error }) => error?.message ?? one)).toEqual(['done', 'done', 'done'])
    expect(state).toBe('done')
    // m1 is there as it is, m2 has another value, m3 is new
    expect(steps[0]!.counts).toEqual({
      read: 3,
      written: 2,
      unchanged: 1,
      rejected: 0,
      filtered: 0,
      merged: 0,
    })
    expect(steps[0]!.looks[0]).toMatchObject({ side: 'in', title: 'a.csv', rows: [['m1', '2026-11-01', '1'], ['m2', '2026-11-01', '5'], ['m3', '2026-11-01', '9']] }) // prettier-ignore
    expect(out(steps[0]!)).toMatchObject([{ title: 'raw.reading', before: 2, after: 3, rows: [['m2', '2026-11-01', '5'], ['m3', '2026-11-01', '9']] }]) // prettier-ignore
    // it saw the rows of the step before, and numbered its own without moving the real sequence
    expect(out(steps[1]!)).toMatchObject([{ title: 'clean.total', before: 1, after: 4 }])
    expect(await world()).toBe(before)
  })

  it('writes what the run afterwards really writes', async () => {
    await bench.rows('create table raw.mirror (like raw.reading including all); insert into raw.mirror select * from raw.reading') // prettier-ignore
    const text = job(bringIn.replace('raw.reading', 'raw.mirror'))
    const { steps } = await tried(text)
    await bench.load(text.replace('name: trial', 'name: for-real'), { only: "row.place == 'east'" })
    const [load] = await bench.own('select read, written, unchanged, rejected, filtered, merged from mattock.load order by id desc limit 1') // prettier-ignore
    expect(load).toEqual(steps[0]!.counts)
  })

  it('takes several rows; one that fails does not keep the others from going on', async () => {
    const { state, steps } = await tried(job(bringIn), { rows: ['north', 'south', 'west'] })
    expect(state).toBe('failed')
    expect(steps.map((step) => [step.load, step.state])).toEqual([[0, 'done'], [1, 'done'], [2, 'failed']]) // prettier-ignore
    expect(steps[2]!.error).toMatchObject({ code: 'no-file', effect: 'nothing outside the try was written' })
    expect(steps.flatMap(out).filter(({ title }) => title === 'rejects')).toHaveLength(1)
    expect(await world()).toBe(before)
  })

  it('stops after the step it was told, and shows nothing of those behind', async () => {
    const text = job(`${bringIn}\n${sql('later', 'truncate raw.reading')}`)
    const { steps } = await tried(text, { until: 'bring-in' })
    expect(steps.map(({ step }) => step)).toEqual(['bring-in'])
    await expect(tried(text, { rows: ['nowhere'] })).rejects.toThrow('no row called "nowhere"')
    await expect(tried(text, { rows: [] })).rejects.toThrow('choose a row')
  })

  it('holds after a step for a look, and goes on with what it had', async () => {
    const text = job(`${bringIn}
${sql('note', 'insert into clean.audit values ({file.name} || {string(step["bring-in"].rows_written)})')}`)
    const held = await tried(text, { holds: ['bring-in'], rows: ['west'] })
    expect([held.state, held.steps.map(({ state }) => state)]).toEqual(['held', ['done', 'waiting']])
    await goOn(bench.engine, held.id)
    const after = await ended(held.id)
    expect(after.state).toBe('done')
    expect(out(after.steps[1]!)).toMatchObject([{ title: 'clean.audit', rows: [['b.csv1']] }])
    await expect(goOn(bench.engine, held.id)).rejects.toThrow('not held')
    expect(await world()).toBe(before)
  })

  it('is ended by hand while held, and takes its schema along', async () => {
    const { id, state } = await tried(job(`${bringIn}\n${sql('x', 'select 1')}`), { holds: ['bring-in'] })
    expect(state).toBe('held')
    await stopTry(bench.engine, id)
    expect((await readTry(bench.engine, id)).state).toBe('stopped')
    const schemas = () =>
      bench.rows(`select nspname from pg_namespace where nspname = $1`, [`mattock_try_${id}`])
    expect(await schemas()).toHaveLength(1)
    await clearTry(bench.engine, id)
    expect(await schemas()).toHaveLength(0)
    expect((await readTry(bench.engine, id)).clearedAt).not.toBeNull()
  })

  it('works on stand-ins for every way a statement changes a table', async () => {
    const text = job(
      [
        sql('made', 'create schema if not exists raw; create table if not exists raw.reading (meter text); create table raw.fresh as select * from raw.reading; create index on raw.fresh (meter)'),
        sql('changed', "update raw.reading set value = 100 where meter = 'm1'; delete from raw.reading where meter = 'm2'; alter table raw.reading add column note text; update raw.reading set note = 'x'"),
        sql('emptied', 'truncate clean.total; drop table raw.fresh; insert into raw.big values (0)'),
        sql('merged', "merge into raw.reading using (select 'm1' as meter) s on reading.meter = s.meter when matched then update set value = raw.reading.value + 1"),
      ].join('\n'),
    ) // prettier-ignore
    const { steps } = await tried(text)
    expect(steps.map(({ state, error }) => error?.message ?? state)).toEqual(['done', 'done', 'done', 'done'])
    expect(out(steps[0]!)).toMatchObject([{ title: 'raw.reading', before: 2, after: 2 }, { title: 'raw.fresh', before: 0, after: 2 }]) // prettier-ignore
    expect(out(steps[1]!)).toMatchObject([{ before: 2, after: 1, rows: [['m1', '2026-11-01', '100', 'x']] }])
    expect(out(steps[2]!)).toMatchObject([{ title: 'clean.total', before: 1, after: 0 }, { title: 'raw.big', before: 0, after: 1 }]) // prettier-ignore
    expect(steps[2]!.log.join()).toContain('empty copy of raw.big: it has more than 100,000 rows')
    expect(out(steps[3]!)).toMatchObject([{ rows: [['m1', '2026-11-01', '101', 'x']] }])
    expect(await world()).toBe(before)
  })

  it.each([
    ["select clean.note('sly')", 'clean.audit'],
    ['select clean.clear()', 'clean.audit'],
    ['select clean.make()', 'the schema stray'],
    ['select clean.lose()', 'a table that it dropped'],
    ["do $$ begin insert into clean.audit values ('sly'); end $$", 'clean.audit'],
    ["select nextval('clean.total_id_seq')", 'clean.total_id_seq'],
  ])('rolls back what changes something behind its back: %s', async (statement, named) => {
    const { state, steps } = await tried(job(sql('sly', statement)))
    expect(state).toBe('failed')
    expect(steps[0]!.error).toMatchObject({ code: 'try' })
    expect(steps[0]!.error!.message).toContain(named)
    // a sequence does not go back with its transaction; that is so in Postgres for everybody
    if (!statement.includes('nextval')) expect(await world()).toBe(before)
  })

  it('reads a query without letting what its functions do take effect', async () => {
    const reading = (query: string) => job(`
- id: read
  transfer:
    from: {connection: warehouse, query: ${JSON.stringify(query)}}
    into: {connection: warehouse, table: raw.read, write: append}`) // prettier-ignore
    const sly = await tried(reading("select 1 as n, clean.count_up('sly') as c"))
    expect(sly.steps[0]!.error!.message).toContain('read-only transaction')
    // with a bound value the query is kept in a temporary table first, which a read-only transaction may not
    const bound = await tried(reading("select {row.place} as place, 1 as n where {row.place} <> 'west'"))
    expect(out(bound.steps[0]!)).toMatchObject([{ title: 'raw.read', rows: [['east', '1']] }])
    expect(await world()).toBe(before)
  })

  it('writes files into a folder of its own, and reads them back from there', async () => {
    const text = job(`
- id: pack
  transfer:
    from: {store: drop, files: a.csv}
    into: {store: drop, file: packed/a.parquet}
- id: unpack
  transfer:
    from: {store: drop, files: packed/a.parquet}
    into: {connection: warehouse, table: raw.unpacked, write: append}`)
    const { id, steps } = await tried(text)
    expect(steps.map(({ state, error }) => error?.message ?? state)).toEqual(['done', 'done'])
    expect(out(steps[0]!)).toMatchObject([{ title: 'packed/a.parquet', rows: [['m1', '2026-11-01', '1'], {}, {}] }]) // prettier-ignore
    expect(out(steps[1]!)).toMatchObject([{ title: 'raw.unpacked', before: 0, after: 3 }])
    expect(await world()).toBe(before)
    const folder = join(bench.folder, 'tries', String(id))
    expect(existsSync(folder)).toBe(true)
    await clearTry(bench.engine, id)
    expect(existsSync(folder)).toBe(false)
  })

  it('uses try values; a real run never does', async () => {
    const text = job(
      sql('note', 'insert into clean.audit select {param.who} where {row.place} <> {param.who}'),
      'parameters: {who: {type: text, default: everybody, try: nobody}}',
    )
    const said = async (parameters: TryAsk['parameters']) =>
      out((await tried(text, { parameters })).steps[0]!)[0]!.rows
    expect(await said({})).toEqual([['nobody']])
    expect(await said({ who: 'me' })).toEqual([['me']])
    await bench.load(text.replace('name: trial', 'name: real-one'), { only: "row.place == 'east'" })
    expect(await bench.rows('select what from clean.audit')).toContainEqual({ what: 'everybody' })
  })

  it('takes steps in their order, and leaves out those whose condition does not hold, with why', async () => {
    const { steps } = await tried(
      job(`
- {id: last, after: [second], log: {text: last}}
- {id: first, after: [], log: {text: first}}
- {id: second, log: {text: second}}
- {id: mend, when: failed, log: {text: mend}}
- {id: asked, after: [first], when: 'step["first"].state == "done"', log: {text: asked}}
- {id: not-asked, after: [first], when: 'row.place == "nowhere"', log: {text: not asked}}`),
    )
    expect(steps.map(({ step, state, log }) => [step, state, log[0]])).toEqual([
      ['first', 'done', 'first'],
      ['second', 'done', 'second'],
      ['last', 'done', 'last'],
      ['mend', 'skipped', 'nothing before it failed'],
      ['asked', 'done', 'asked'],
      ['not-asked', 'skipped', 'its condition does not hold: row.place == "nowhere"'],
    ])
  })

  it('names tables in a fault as the job does', async () => {
    const { steps } = await tried(job(sql('wrong', 'insert into raw.reading (metre) values (1)')))
    expect(steps[0]!.error!.message).toContain('column "metre" of relation "raw.reading" does not exist')
    expect(steps[0]!.error!.message).not.toContain('mattock_try')
  })

  it('ends a try whose worker is gone, and clears old ones', async () => {
    const { id } = await tried(job(bringIn))
    await bench.own(`update mattock.try set state = 'running', worker = -1 where id = $1`, [id])
    await bench.own(`select mattock.end_lost_tries(interval '15 s')`)
    expect(await readTry(bench.engine, id)).toMatchObject({ state: 'failed', fault: 'the worker that ran it ended' }) // prettier-ignore
    await bench.own(`update mattock.try set ended_at = now() - interval '25 hours' where id = $1`, [id])
    await clearTries(bench.engine)
    expect((await readTry(bench.engine, id)).clearedAt).not.toBeNull()
  })
})
