import { describe, expect, it } from 'vitest'
import { droppedTables, passedOver, readStatement, withStandIns } from './redirect'

const standIn = (table: string): string => `"s"."${table.replaceAll('"', '""')}"`
const rewritten = async (text: string, which: (table: string) => string | undefined = standIn) =>
  withStandIns(text, await readStatement(text), which)

describe('names in statements', () => {
  it.each([
    ['insert into raw.x (a) values (1)', 'insert into "s"."raw.x" as "x" (a) values (1)'],
    ['insert into raw.x as t (a) values (1)', 'insert into "s"."raw.x" as t (a) values (1)'],
    ['update raw.x set a = 1 from raw.y where y.b = x.b', 'update "s"."raw.x" as "x" set a = 1 from "s"."raw.y" as "y" where y.b = x.b'],
    ['delete from only raw.x', 'delete from only "s"."raw.x" as "x"'],
    ['truncate raw.x, raw.y', 'truncate "s"."raw.x", "s"."raw.y"'],
    ['create table raw.n as select * from raw.x', 'create table "s"."raw.n" as select * from "s"."raw.x" as "x"'],
    ['select * into raw.n from raw.x', 'select * into "s"."raw.n" from "s"."raw.x" as "x"'],
    ['create table raw.k (like raw.x including all)', 'create table "s"."raw.k" (like "s"."raw.x" including all)'],
    ['create table raw.k (a int references raw.x (a))', 'create table "s"."raw.k" (a int references "s"."raw.x" (a))'],
    ['create unique index i on raw.x (a)', 'create unique index i on "s"."raw.x" (a)'],
    ['alter table raw.x add column c int', 'alter table "s"."raw.x" add column c int'],
    ['alter table raw.x rename column a to b', 'alter table "s"."raw.x" rename column a to b'],
    ['merge into raw.x using raw.y on x.a = y.a when matched then delete', 'merge into "s"."raw.x" as "x" using "s"."raw.y" as "y" on x.a = y.a when matched then delete'],
    ['select x.a from "Räw" . "we""ird" x', 'select x.a from "s"."Räw.we""ird" x'],
    ['select count(*) from plain', 'select count(*) from "s"."public.plain" as "plain"'],
    ["select 'raw.x', raw.x.a from raw.x where raw.x.b > 'ä raw.x'", "select 'raw.x', x.a from \"s\".\"raw.x\" as \"x\" where x.b > 'ä raw.x'"],
  ])('%s', async (text, expected) => {
    expect(await rewritten(text)).toBe(expected)
  }) // prettier-ignore

  it('leaves names of WITH queries and of temporary tables alone', async () => {
    expect(await rewritten('with x as (select * from raw.y) select * from x')).toBe(
      'with x as (select * from "s"."raw.y" as "y") select * from x',
    )
    expect(await rewritten('create temp table t (a int)')).toBe('create temp table t (a int)')
  })

  it('leaves tables without a stand-in to the letter', async () => {
    const text = 'insert into raw.x\n  select * -- all of them\n  from   raw.y'
    expect(await rewritten(text, () => undefined)).toBe(text)
  })

  it('tells what is written from what is read, in WITH too', async () => {
    const { tables } = await readStatement(
      'with gone as (delete from raw.a where k in (select k from raw.b) returning *) insert into raw.c select * from gone join raw.d using (k)',
    )
    expect(tables.filter(({ writes }) => writes).map(({ table }) => table).sort()).toEqual(['raw.a', 'raw.c']) // prettier-ignore
    expect(tables.filter(({ writes }) => !writes).map(({ table }) => table).sort()).toEqual(['raw.b', 'raw.d']) // prettier-ignore
  })

  it('names the tables that a DROP TABLE takes away', async () => {
    const { tree } = await readStatement('drop table if exists raw.x, y')
    expect(droppedTables(tree)).toEqual(['raw.x', 'public.y'])
  })

  it.each(['create function f() returns int language sql as $$ select 1 $$', 'create role r', 'alter table raw.x rename to y', "copy raw.x from '/tmp/x'", 'drop schema raw cascade', 'create extension hstore', 'create trigger t before insert on raw.x execute function f()'])('refuses what no stand-in can be made for: %s', async (text) => {
    await expect(readStatement(text)).rejects.toThrow('scratch schema')
  }) // prettier-ignore

  it('passes over what says nothing about rows', async () => {
    for (const text of [
      'create schema if not exists raw',
      "comment on table raw.x is 'x'",
      'grant select on raw.x to public',
      'analyze raw.x',
    ])
      // prettier-ignore
      expect(passedOver((await readStatement(text)).kind)).toBeDefined()
    expect(passedOver((await readStatement('select 1')).kind)).toBeUndefined()
  })

  it('says where SQL cannot be read', async () => {
    await expect(readStatement('selec 1')).rejects.toThrow('syntax error')
  })
})
