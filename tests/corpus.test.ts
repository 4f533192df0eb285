import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { documents } from './corpus/documents'
import { encodings } from './corpus/encodings'
import type { Entry } from './corpus/entry'
import { faults } from './corpus/faults'
import { headers } from './corpus/headers'
import { layouts } from './corpus/layouts'
import { outside } from './corpus/outside'
import { sheets } from './corpus/sheets'
import { values } from './corpus/values'
import { groupBy } from '../core/group'
import { saveJob } from '../engine/jobs/versions'
import { makePlan } from '../engine/planning/plan'
import { startRun } from '../engine/running/runs'
import { testBench, type TestBench } from './support/bench'
import { surveyOf, type Surveyed } from './support/surveyed'

/**
 * Small files as people have them, each with what it says: a survey finds its columns and types, and a load with
 * `format: detect` makes a table that holds exactly its values. One survey and one run take all of them.
 */
let bench: TestBench
let seen: Surveyed
const loads = new Map<string, Record<string, unknown>>()
const place = (room: string, { name }: Entry): string => `${room}/${name.replace(/[^A-Za-z0-9]+/g, '-')}`
const table = (room: string, of: Entry): string =>
  place(room, of)
    .replace(/[^a-z0-9]+/gi, '_')
    .toLowerCase()

const rooms: Record<string, readonly Entry[]> = {
  layouts, headers, values, encodings, documents, faults, outside: await outside(), sheets: await sheets(),
} // prettier-ignore
const all = Object.entries(rooms).flatMap(([room, entries]) => entries.map((of) => ({ room, of })))

beforeAll(async () => {
  bench = await testBench()
  await bench.worker(4)
  for (const { room, of } of all) bench.writeFile(`${place(room, of)}/${of.name}`, of.bytes)
  seen = await surveyOf(bench, 'drop', {})
  // what a person states of a file is a job of its own
  const stated = groupBy(all, ({ of }) => of.from ?? '')
  for (const [i, [from, entries]] of [...stated].entries()) {
    const document = `
mattock: job/1
name: corpus-${i}
title: corpus
parts:
  - each: {roster: {rows: [${entries.map(({ room, of }) => `{file: ${JSON.stringify(`${place(room, of)}/${of.name}`)}, table: ${table(room, of)}}`).join(', ')}]}, at_once: 4}
    do:
      - id: bring-in
        transfer:
          from: {store: drop, files: "{row.file}", ${from === '' ? 'format: detect' : from}}
          into: {connection: warehouse, table: "public.{row.table}", write: append}
          rejects: keep
`
    const { job } = await saveJob(bench.engine, document, { by: 'test' })
    const { id } = await makePlan(bench.engine, { job, environment: 'dev', parameters: {}, by: 'test' })
    const run = await startRun(bench.engine, { plan: id, by: 'test' })
    await bench.ended(run)
    const found = await bench.own(
      `select l.key, l.state, l.error, l.rejected::int, s.log from mattock.load l left join mattock.load_step s on s.load_id = l.id where l.run_id = $1`,
      [run],
    )
    for (const load of found) {
      const of = entries.find((one) => String(load.key).includes(`${place(one.room, one.of)}/${one.of.name}`))
      loads.set(place(of!.room, of!.of), load)
    }
  }
})
afterAll(() => bench.close())

const types: Readonly<Record<string, string>> = {
  bigint: 'integer', numeric: 'decimal', 'double precision': 'number', 'timestamp with time zone': 'timestamp', 'time without time zone': 'time',
} // prettier-ignore

describe.each(Object.entries(rooms))('files of %s', (room, entries) => {
  it.each(entries.map((of) => [of.name, of] as const))('%s', async (_name, of) => {
    const path = `${place(room, of)}/${of.name}`
    const load = loads.get(place(room, of))
    const log = ((load?.log as string[] | null) ?? []).join('\n')
    if (of.fault) {
      expect(seen.stray(path) ?? JSON.stringify(seen.at(place(room, of)))).toMatch(of.fault)
      // no reader's dump of its own
      expect(seen.stray(path)).not.toMatch(/\n|Possible (solution|fixes)|LINE \d/)
      // a file without a line gives no rows, which a load may do
      if (!/^(nothing|blanks)/.test(of.name)) {
        expect(load?.state).toBe('failed')
        expect((load!.error as { message: string }).message).toMatch(of.fault)
      }
      return
    }
    const found = seen.at(place(room, of))
    if (of.from === undefined)
      expect(found?.columns.map(({ name, type }) => `${name} ${type}`).join(', ') ?? seen.stray(path)).toBe(
        of.columns,
      )
    expect([load?.state, load?.error]).toEqual(['done', null])
    const columns = await bench.rows(
      `select column_name as name, data_type as type from information_schema.columns where table_name = $1 order by ordinal_position`,
      [table(room, of)],
    )
    const named = columns
      .map(({ name, type }) => `${String(name)} ${types[String(type)] ?? String(type)}`)
      .join(', ')
    expect(named).toBe(
      of.loaded ??
        of
          .columns!.split(', ')
          .map((one) => one.toLowerCase())
          .join(', '),
    )
    const list = columns.map(({ name }) => `"${String(name).replaceAll('"', '""')}"::text`).join(', ')
    const { rows } = await bench.warehouse.query({
      text: `select ${list} from ${table(room, of)} order by ctid`,
      rowMode: 'array',
    })
    expect(rows).toEqual(of.rows)
    expect(load!.rejected).toBe(of.rejects ?? 0)
    if (of.log) expect(log).toMatch(of.log)
  })
})
