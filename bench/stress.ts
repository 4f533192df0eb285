import { createWriteStream } from 'node:fs'
import { join } from 'node:path'
import { once } from 'node:events'
import { benchPlace } from './place'
const place = await benchPlace(2, 3)
const write = async (name: string, line: (i: number) => string, n = 2_000_000) => {
  const out = createWriteStream(join(place.drop, name)); out.write('id,meter,read_at,value,state\n')
  for (let i = 0; i < n; i++) if (!out.write(line(i))) await once(out, 'drain')
  out.end(); await once(out, 'finish')
}
const job = (name: string, more: string) => `
mattock: job/1
name: ${name}
title: ${name}
parts:
  - each: {roster: {rows: [{file: ${name}.csv, target: ${name}}]}, at_once: 1}
    do:
      - id: bring-in
        transfer:
          from: {store: drop, files: "{row.file}"}
          into: {connection: warehouse, table: "public.{row.target}", write: append}
          ${more}
`
const columns = 'id bigint, meter text, read_at timestamptz, value double precision, state text'
const good = (i: number) => `${i},M-${i % 5000},2026-11-${String(1 + (i % 28)).padStart(2, '0')} ${String(i % 24).padStart(2, '0')}:15:00+00,${(i % 9973) / 8},ok\n`
try {
  await place.warehouse.query(`create table public.clean (${columns}); create table public.wrong (${columns}); create table public.ruled (${columns}, check (value < 1240), primary key (id)); create table public.half (${columns})`)
  await write('clean.csv', good)
  await write('wrong.csv', (i) => (i % 100 === 0 ? good(i).replace(',ok', 'x,ok') : good(i)))
  await write('ruled.csv', (i) => (i % 1000 === 7 ? good(i - 7) : good(i)))
  await write('half.csv', (i) => (i % 2 === 0 ? good(i).replace('2026', '2o26') : good(i)))
  for (const name of ['clean', 'wrong', 'ruled', 'half']) {
    const r = await place.run(job(name, 'rejects: keep'))
    const { rows } = await place.warehouse.query(`select count(*)::int as n from public.${name}`)
    console.log(name, r.seconds, rows[0].n, await place.workerMemory())
  }
} finally { await place.close() }
