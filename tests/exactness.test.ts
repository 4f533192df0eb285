import { execFileSync } from 'node:child_process'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { fileJob, testBench, type TestBench } from './support/bench'

let bench: TestBench
beforeAll(async () => {
  bench = await testBench()
  await bench.worker()
})
afterAll(() => bench.close())

const psql = (sql: string) =>
  execFileSync('psql', [bench.warehouseUrl, '-v', 'ON_ERROR_STOP=1', '-qAtc', sql], { encoding: 'utf8' })

const balanceOf = async (run: number) =>
  (
    await bench.own(
      'select state, read::int, written::int, unchanged::int, rejected::int, filtered::int, error from mattock.load where run_id = $1',
      [run],
    )
  )[0]!

describe('the loaded table against psql \\copy of the same file (Postgres itself), EXCEPT both ways', () => {
  it('holds the same rows, quotes, line breaks, empty texts and nulls among them', async () => {
    const lines = ['id,name,amount,at,day,yes,note']
    for (let i = 0; i < 5000; i++) {
      const note = [
        '',
        '""',
        '"two\nlines"',
        '"a ""quoted"" word"',
        'plain',
        '"comma, inside"',
        ' blanks ',
        'o\'brien"; drop table x;--',
      ][i % 8]!
      const safe = note.startsWith("o'") ? '"o\'brien""; drop table x;--"' : note
      lines.push(
        `${i},ünï ${i % 97},${(i * 37) % 1000}.${i % 10}5,2026-11-0${(i % 9) + 1} 1${i % 10}:30:00+01,2026-11-1${i % 10},${i % 2 === 0},${safe}`,
      )
    }
    bench.writeFile('all.csv', lines.join('\r\n') + '\r\n')
    const columns =
      'id bigint primary key, name text, amount numeric(8,2), at timestamptz, day date, yes boolean, note text'
    for (const table of ['mine', 'mine_upserted', 'theirs'])
      await bench.rows(`create table ${table} (${columns})`)
    const appended = await bench.load(
      fileJob('append-all', 'all.csv', '{connection: warehouse, table: mine, write: append}'),
    )
    const upserted = await bench.load(
      fileJob(
        'upsert-all',
        'all.csv',
        '{connection: warehouse, table: mine_upserted, write: upsert, key: [id]}',
      ),
    )
    psql(`\\copy theirs from '${join(bench.drop, 'all.csv')}' (format csv, header)`)
    for (const run of [appended, upserted]) {
      expect(await balanceOf(run)).toMatchObject({
        state: 'done',
        read: 5000,
        written: 5000,
        unchanged: 0,
        rejected: 0,
        filtered: 0,
      })
    }
    for (const table of ['mine', 'mine_upserted']) {
      expect(psql(`select count(*) from (select * from ${table} except select * from theirs) a`).trim()).toBe(
        '0',
      )
      expect(psql(`select count(*) from (select * from theirs except select * from ${table}) a`).trim()).toBe(
        '0',
      )
      expect(psql(`select count(*) from ${table}`).trim()).toBe('5000')
    }
  })

  it('upserts again: what did not change is unchanged, what did is written', async () => {
    await bench.rows('create table twice (id int primary key, v text)')
    bench.writeFile('twice.csv', 'id,v\n1,a\n2,b\n3,c\n')
    const job = fileJob(
      'twice',
      'twice.csv',
      '{connection: warehouse, table: twice, write: upsert, key: [id]}',
    )
    await bench.load(job)
    bench.writeFile('twice.csv', 'id,v\n1,a\n2,changed\n3,c\n4,new\n')
    expect(await balanceOf(await bench.load(job))).toMatchObject({ read: 4, written: 2, unchanged: 2 })
    expect(await bench.rows('select id, v from twice order by id')).toEqual([
      { id: 1, v: 'a' }, { id: 2, v: 'changed' }, { id: 3, v: 'c' }, { id: 4, v: 'new' },
    ]) // prettier-ignore
  })
})
