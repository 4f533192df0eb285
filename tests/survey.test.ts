import { symlinkSync, utimesSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import type { FoundDataset } from '../core/catalog/found'
import type { SurveyScope } from '../database/catalog'
import { surveyDatabase } from '../engine/connectors/postgres/survey'
import { acceptProposals, acceptWaiting } from '../engine/survey/accept'
import { resumeSurvey, startSurvey, stopSurvey } from '../engine/survey/survey'
import { testBench, type TestBench } from './support/bench'
import { packed, parquet, xlsx, zipped } from './support/files'

let bench: TestBench
beforeAll(async () => {
  bench = await testBench()
  await bench.worker(2)
})
afterAll(() => bench.close())

const everything: SurveyScope = { include: [], exclude: [], prefix: '' }

async function surveyed(connection: string, scope: Partial<SurveyScope> = {}) {
  const id = await startSurvey(bench.engine, {
    connection,
    environment: 'dev',
    scope: { ...everything, ...scope },
    by: 'test',
  })
  return await finished(id)
}

async function finished(id: number) {
  for (;;) {
    const [survey] = await bench.own('select * from mattock.survey where id = $1', [id])
    if (survey!.state !== 'waiting' && survey!.state !== 'running') {
      const proposals = await bench.own(
        'select kind, found, change, dataset_id from mattock.survey_proposal where survey_id = $1 order by number',
        [id],
      )
      return {
        id,
        survey: survey!,
        proposals: proposals as {
          kind: string
          found: FoundDataset | null
          change: unknown
          dataset_id: number
        }[],
      }
    }
    await new Promise((resolve) => setTimeout(resolve, 20))
  }
}
const named = (proposals: { found: FoundDataset | null }[], name: string): FoundDataset =>
  proposals.find(({ found }) => found?.name === name)!.found!
const columnsOf = (dataset: FoundDataset) =>
  dataset.columns.map(({ name, type }) => `${name} ${type}`).join(', ')
const strayOf = (survey: Record<string, unknown>, path: string) =>
  (survey.strays as { path: string; reason: string }[]).find((stray) => stray.path === path)?.reason

describe('a survey of files', () => {
  it('finds datasets in files of every kind', async () => {
    const put = bench.writeFile
    put(
      'all/flow_a_20261101.csv',
      'meter,read_at,lps\nA1,2026-11-01T00:00:00+01:00,1.5\nA2,2026-11-01T00:15:00+01:00,<0.05\nA3,2026-11-01T00:30:00+01:00,2\n',
    )
    put('all/flow_b_20261101.csv', 'meter,read_at,lps\nB1,2026-11-01T00:00:00+01:00,7\n')
    put('all/press_a_20261101.csv', 'meter,read_at,bar\nA1,2026-11-01T00:00:00+01:00,4.1\n')
    put('all/lab.csv.gz', packed('probe;wert;am\n1;12,4;01.11.2026\n2;0,5;02.11.2026\n'))
    put('all/noheader.csv', '1,2026-01-01,x\n2,2026-01-02,y\n')
    put('all/wide.csv', Buffer.from('\uFEFFname;größe\nA;1\nB;2\n', 'utf16le'))
    put('all/old.csv', Buffer.from('ort;wert\nM\xfchle;1\nT\xfcr;2\n', 'latin1'))
    put('all/notes.csv', '# logger 4\n# site north\nstamp,value\n2026-01-01,1\n')
    put('all/list.json', '[{"id":1,"ok":true},{"id":2,"ok":false}]')
    put('all/lines.ndjson', '{"id":1,"at":"2026-01-01"}\n{"id":2,"at":"2026-01-02","more":1.5}\n')
    put(
      'all/answer.json',
      '{"total":1,"items":[{"id":7,"site":{"code":"N"},"parts":[{"sku":"a","n":2},{"sku":"b","n":1}]}]}',
    )
    put(
      'all/book.xlsx',
      await xlsx({
        Cover: [['Laboratory report'], ['week 47']],
        Results: [
          ['Made by', 'hand'],
          ['sample', 'taken', 'value', 'unit'],
          ['S1', new Date(Date.UTC(2026, 10, 2)), 12.4, 'mg/L'],
          ['S2', new Date(Date.UTC(2026, 10, 3)), '<0.05', 'mg/L'],
        ],
        Empty: [],
      }),
    )
    await parquet(
      join(bench.drop, 'all/kept.parquet'),
      `select 1::bigint as id, date '2026-01-01' as day, 1.50::decimal(8,2) as price`,
    )
    put('all/lake/year=2025/a.csv', 'x\n1\n')
    put('all/lake/year=2026/b.csv', 'x\n2\n')
    const { survey, proposals } = await surveyed('drop', { include: ['all'] })
    expect(survey.fault).toBeNull()
    const of = (name: string) => columnsOf(named(proposals, `drop.all.${name}`))
    expect(of('flow')).toBe('meter text, read_at timestamp, lps text')
    expect(of('press_a')).toBe('meter text, read_at timestamp, bar decimal')
    expect(of('lab')).toBe('probe integer, wert decimal, am date')
    expect(of('noheader')).toBe('column_1 integer, column_2 date, column_3 text')
    expect(of('wide')).toBe('name text, größe integer')
    expect(of('old')).toBe('ort text, wert integer')
    expect(of('notes')).toBe('stamp date, value integer')
    expect(of('list')).toBe('id integer, ok boolean')
    expect(of('lines')).toBe('id integer, at date, more decimal')
    expect(of('answer')).toBe('id integer, site_code text')
    expect(of('answer.parts')).toBe('id integer, entry integer, sku text, n integer')
    expect(of('book')).toBe('sample text, taken date, value text, unit text')
    expect(of('kept')).toBe('id integer, day date, price decimal')
    expect(of('lake')).toBe('x integer, year integer')
    expect(named(proposals, 'drop.all.kept').columns[2]!.sourceType).toBe('DECIMAL(8,2)')
    expect(named(proposals, 'drop.all.lake')).toMatchObject({ files: 2, rows: 2 })
    expect(named(proposals, 'drop.all.noheader').columns[0]).toMatchObject({ unnamed: true })
    // the value that forced "text", where it stands, and the share that a stricter type would refuse
    expect(named(proposals, 'drop.all.flow').columns[2]!.verdict).toMatchObject({
      looked: 4, stricter: { type: 'decimal', fails: 1 },
      decided: { count: 1, first: { value: '<0.05', file: 'all/flow_a_20261101.csv', row: 2 } },
    }) // prettier-ignore
    expect(proposals).toHaveLength(14)
  })

  it('lists files that do not belong apart, each with its reason, and goes on', async () => {
    const put = bench.writeFile
    put('bad/good.csv', 'a,b\n1,2\n')
    put('bad/photo.csv', Buffer.from('89504e470d0a1a0a0000000d49484452', 'hex'))
    put('bad/nothing.csv', '')
    put(
      'bad/half.csv.gz',
      packed(Array.from({ length: 50_000 }, (_, i) => `${i},${Math.sin(i)}`).join('\n')).subarray(0, 60_000),
    )
    put('bad/broken.csv.gz', Buffer.concat([Buffer.from('1f8b0800', 'hex'), Buffer.alloc(100, 7)]))
    await parquet(join(bench.drop, 'bad/whole.parquet'), 'select range as i from range(10000)')
    const { readFileSync } = await import('node:fs')
    put('bad/half.parquet', readFileSync(join(bench.drop, 'bad/whole.parquet')).subarray(0, 4000))
    put('bad/long.csv', `a,b\n1,${'x'.repeat(5_000_000)}\n`)
    put('bad/mixed.csv', Buffer.concat([Buffer.from('a,b\n1,é\n'), Buffer.from([0xff, 0xfe, 0x80, 0x0a])]))
    put('bad/half.json', '[{"id":1},{"id":')
    put('bad/notsheet.xlsx', 'a,b\n1,2\n')
    put('bad/bomb.xlsx', zipped({ 'xl/worksheets/sheet1.xml': Buffer.alloc(300 << 20) }))
    // one that states a size it does not keep to
    put('bad/liar.xlsx', zipped({ 'xl/worksheets/sheet1.xml': Buffer.alloc(8 << 20) }, 1000))
    put('bad/rest.tmp', 'half a fi')
    put('bad/readme.txt', 'These files come from the north.\n')
    symlinkSync('/etc/passwd', join(bench.drop, 'bad/passwd.csv'))
    const { survey, proposals } = await surveyed('drop', { include: ['bad'] })
    expect(survey.fault).toBeNull()
    const stray = (name: string) => strayOf(survey, `bad/${name}`)
    expect(stray('photo.csv')).toBe('a PNG picture, not a table')
    expect(stray('nothing.csv')).toBe('it is empty (0 bytes)')
    expect(stray('half.csv.gz')).toMatch(/gzip that cannot be unpacked to its end/)
    expect(stray('broken.csv.gz')).toMatch(/gzip that cannot be unpacked/)
    expect(stray('half.parquet')).toMatch(/end is missing/)
    expect(stray('long.csv')).toMatch(/line of more than 2 MB/)
    expect(stray('half.json')).toMatch(/no JSON that can be read/)
    expect(stray('notsheet.xlsx')).toMatch(/not what its ending says/)
    expect(stray('bomb.xlsx')).toMatch(/would unpack to .* MB/)
    expect(stray('liar.xlsx')).toMatch(/cannot be unpacked/)
    expect(stray('rest.tmp')).toMatch(/not taken for a table/)
    expect(stray('readme.txt')).toBe('text, but no table')
    expect(stray('passwd.csv')).toMatch(/leads out of the store/)
    // a line in another encoding than the rest is told as broken, and does not hide the others
    const read = proposals.find(({ found }) => found!.name === 'drop.bad')!.found!
    expect(read).toMatchObject({ files: 2, rows: 2, broken: 1 })
    expect(JSON.stringify(proposals)).not.toContain('root:')
  })

  it('reads only what is new the next time, keeps what a person set, and holds new columns for a person', async () => {
    bench.writeFile('grow/x_1.csv', 'a,b\n1,2\n')
    const first = await surveyed('drop', { include: ['grow'] })
    expect(first.survey.progress).toMatchObject({ total: 1, reused: 0 })
    await acceptProposals(bench.engine, first.id, undefined, 'test')
    await bench.own(
      `update mattock.dataset set edits = '{"a": {"name": "meter", "type": "text"}}' where locator = 'grow/x_*.csv' or locator = 'grow/x*.csv'`,
    )
    const again = await surveyed('drop', { include: ['grow'] })
    expect(again.survey).toMatchObject({ same: 1, progress: { total: 1, reused: 1 } })
    expect(again.proposals).toEqual([])
    bench.writeFile('grow/x_2.csv', 'a,b,c\n1,2,3\n')
    const more = await surveyed('drop', { include: ['grow'] })
    expect(more.survey.progress).toMatchObject({ total: 2, reused: 1 })
    expect(more.proposals).toMatchObject([{ kind: 'changed', change: { added: [{ name: 'c' }], gone: [] } }])
    const id = more.proposals[0]!.dataset_id
    expect(
      (await bench.own('select version, waits from mattock.dataset where id = $1', [id]))[0],
    ).toMatchObject({ version: 1, waits: { added: [{ name: 'c' }] } })
    await acceptWaiting(bench.engine, id, 'test')
    const [after] = await bench.own(
      'select version, waits, edits, search, rows, columns from mattock.dataset where id = $1',
      [id],
    )
    expect(after).toMatchObject({ version: 2, waits: null, edits: { a: { name: 'meter', type: 'text' } } })
    expect(after!.search).toContain('meter')
    expect(
      await bench.own('select version from mattock.dataset_version where dataset_id = $1 order by 1', [id]),
    ).toEqual([{ version: 1 }, { version: 2 }])
  })

  it('notes a file whose content changed under the same name', async () => {
    bench.writeFile('again/f.csv', 'a\n1\n')
    await acceptProposals(
      bench.engine,
      (await surveyed('drop', { include: ['again'] })).id,
      undefined,
      'test',
    )
    bench.writeFile('again/f.csv', 'a\nx\n')
    utimesSync(join(bench.drop, 'again/f.csv'), 1e9, 1e9)
    const { proposals } = await surveyed('drop', { include: ['again'] })
    expect(proposals).toMatchObject([
      { kind: 'changed', change: { changed: [{ name: 'a', from: 'integer', to: 'text' }] } },
    ])
  })

  it('says that a dataset is gone, and only within its scope', async () => {
    const { rmSync } = await import('node:fs')
    bench.writeFile('leave/l.csv', 'a\n1\n')
    await acceptProposals(
      bench.engine,
      (await surveyed('drop', { include: ['leave'] })).id,
      undefined,
      'test',
    )
    rmSync(join(bench.drop, 'leave/l.csv'))
    expect((await surveyed('drop', { include: ['grow'] })).proposals).toEqual([])
    expect((await surveyed('drop', { include: ['leave'] })).proposals).toMatchObject([{ kind: 'gone' }])
  })

  it('says of a dataset whose file cannot be read any more that it is there, and why it cannot', async () => {
    bench.writeFile('spoilt/l.csv', 'a\n1\n')
    const { id } = await surveyed('drop', { include: ['spoilt'] })
    await acceptProposals(bench.engine, id, undefined, 'test')
    bench.writeFile('spoilt/l.csv', '<!DOCTYPE html><html><body>Sign in</body></html>')
    const again = await surveyed('drop', { include: ['spoilt'] })
    expect(again.proposals).toEqual([])
    const [row] = await bench.own('select strays from mattock.survey where id = $1', [again.id])
    expect(row!.strays).toEqual([{ path: 'spoilt/l.csv', reason: expect.stringContaining('HTML') as string }])
  })

  it('stops when asked, keeps what it read, and goes on from there', async () => {
    for (let i = 0; i < 400; i++)
      writeFileSync(join(bench.drop, `many_${i}.csv`), `a${i % 130},b\n${'1,2\n'.repeat(2000)}`)
    const id = await startSurvey(bench.engine, {
      connection: 'drop',
      environment: 'dev',
      scope: { ...everything, include: ['many*'] },
      by: 'test',
    })
    for (;;) {
      const [row] = await bench.own(
        `select coalesce((progress ->> 'seen')::int, 0) as seen from mattock.survey where id = $1`,
        [id],
      )
      if (Number(row!.seen) > 0) break
      await new Promise((resolve) => setTimeout(resolve, 10))
    }
    await stopSurvey(bench.engine, id)
    const stopped = await finished(id)
    const seen = (stopped.survey.progress as { seen: number }).seen
    expect(stopped.survey.state).toBe('stopped')
    expect(seen).toBeLessThan(400)
    await resumeSurvey(bench.engine, id)
    const whole = await finished(id)
    expect(whole.survey).toMatchObject({ state: 'done', progress: { seen: 400, total: 400 } })
    expect((whole.survey.progress as { reused: number }).reused).toBeGreaterThanOrEqual(seen)
    await expect(stopSurvey(bench.engine, id)).rejects.toThrow(/not under way/)
  })
})

it('is taken over from a worker that fell silent', async () => {
  bench.writeFile('silent/s.csv', 'a\n1\n')
  const scope = JSON.stringify({ ...everything, include: ['silent'] })
  const [row] = await bench.own(
    `insert into mattock.survey (environment, connection, scope, by, state, worker, attempt) values ('dev', 'drop', $1, 'test', 'running', 999999, 1) returning id`,
    [scope],
  )
  const { survey, proposals } = await finished(row!.id as number)
  expect(survey).toMatchObject({ state: 'done', attempt: 2 })
  expect(proposals).toHaveLength(1)
})

it('is one at a time for a connection', async () => {
  await bench.own(
    `insert into mattock.survey (environment, connection, scope, by, state) values ('dev', 'warehouse', '{"include":[],"exclude":[],"prefix":""}', 'test', 'waiting')`,
  )
  await expect(
    startSurvey(bench.engine, { connection: 'warehouse', environment: 'dev', scope: everything, by: 'test' }),
  ).rejects.toThrow(/under way already/)
  await bench.own(`delete from mattock.survey where state = 'waiting'`)
})

it('is one, where two begin it at the same moment', async () => {
  const ask = {
    connection: 'warehouse',
    environment: 'dev',
    scope: { ...everything, include: ['x'] },
    by: 'test',
  }
  const ends = await Promise.allSettled(Array.from({ length: 8 }, () => startSurvey(bench.engine, ask)))
  const begun = ends.flatMap((end) => (end.status === 'fulfilled' ? [end.value] : []))
  expect(begun.length).toBeGreaterThanOrEqual(1)
  // one that ended before the next was asked for may be followed by another; never are two under way at once
  const spans = await bench.own(
    `select count(*)::int as n from mattock.survey a join mattock.survey b on a.id < b.id and a.id = any ($1) and b.id = any ($1)
     where coalesce(a.ended_at, 'infinity') > b.created_at`,
    [begun],
  )
  expect(spans[0]!.n).toBe(0)
  for (const id of begun) await finished(id)
})

describe('a survey of a database', () => {
  it('finds tables and views with their types, keys, comments and rows', async () => {
    await bench.rows(`create schema s; create table s.pump (id bigint primary key, kw numeric(7,2) not null, "odd ""name""" text, at timestamptz);
      comment on table s.pump is 'all pumps'; comment on column s.pump.kw is 'rated power';
      insert into s.pump values (1, 2.5), (2, 3.5); create view s.strong as select id from s.pump where kw > 3;
      create schema other; create table other.t (x int)`)
    const { proposals } = await surveyed('warehouse', { include: ['s'] })
    expect(proposals.map(({ found }) => found!.name)).toEqual(['warehouse.s.pump', 'warehouse.s.strong'])
    expect(proposals[0]!.found).toMatchObject({
      kind: 'table', key: ['id'], rows: 2, comment: 'all pumps',
      columns: [
        { name: 'id', type: 'integer', sourceType: 'bigint', required: true }, { name: 'kw', type: 'decimal', sourceType: 'numeric(7,2)', comment: 'rated power' },
        { name: 'odd "name"', type: 'text' }, { name: 'at', type: 'timestamp' },
      ],
    }) // prettier-ignore
    expect(proposals[1]!.found!.kind).toBe('view')
  })
  it('lists what its user may not read, with what it lacks', async () => {
    const role = `narrow_${process.pid}_${Date.now()}`
    await bench.rows(`create role ${role}; create schema open; create schema shut; create table open.a (x int);
      create table open."b c" (x int); create table shut.d (x int); grant usage on schema open to ${role}; grant select on open.a to ${role}`)
    const client = await bench.warehouse.connect()
    try {
      await client.query(`set role ${role}`)
      const scope = { include: ['open', 'shut'], exclude: [], prefix: '' }
      const { found, strays } = await surveyDatabase(client, 'warehouse', scope)
      expect(found.map(({ locator }) => locator)).toEqual(['open.a'])
      expect(strays).toEqual([
        { path: 'open.b c', reason: `its user ${role} may not read it: grant select on open.b c` },
        { path: 'shut.d', reason: `its user ${role} may not read it: grant usage on schema shut` },
      ])
    } finally {
      await client.query('reset role')
      client.release()
      await bench.rows(`drop owned by ${role}; drop role ${role}`)
    }
  })
  it('takes new columns in by itself only where the dataset says so', async () => {
    const scope = { ...everything, include: ['s.pump'] }
    await acceptProposals(bench.engine, (await surveyed('warehouse', scope)).id, undefined, 'test')
    await bench.rows('alter table s.pump add column extra int')
    const unattended = async () =>
      await finished(
        await startSurvey(bench.engine, {
          connection: 'warehouse',
          environment: 'dev',
          scope,
          by: 'test',
          unattended: true,
        }),
      )
    const state = async () =>
      (
        await bench.own(
          `select version, waits is null as settled from mattock.dataset where locator = 's.pump'`,
        )
      )[0]
    await unattended()
    expect(await state()).toEqual({ version: 1, settled: false })
    await bench.own(`update mattock.dataset set new_columns = 'accept' where locator = 's.pump'`)
    await unattended()
    expect(await state()).toEqual({ version: 2, settled: true })
    await bench.rows('alter table s.pump drop column extra')
    await unattended()
    expect(await state()).toEqual({ version: 2, settled: false })
  })
})
