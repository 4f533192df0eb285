import type pg from 'pg'
import { districts } from './basin'
import { randomFrom } from './random'

type Cell = string | number | null
interface AssetTable {
  readonly name: string
  readonly columns: string
  readonly rows: number
  row(i: number, random: () => number): Cell[]
}

/** Text as the registry's clerks typed it: blanks before, after and inside a field that should be empty. */
const typed = (random: () => number, text: string): string =>
  `${random() < 0.3 ? ' ' : ''}${text}${random() < 0.4 ? '  ' : ''}`
const pick = <T>(random: () => number, list: readonly T[]): T => list[Math.floor(random() * list.length)]!
const day = (random: () => number): string =>
  `${1962 + Math.floor(random() * 60)}-${String(1 + Math.floor(random() * 12)).padStart(2, '0')}-${String(1 + Math.floor(random() * 28)).padStart(2, '0')}`

export const assetTables: readonly AssetTable[] = [
  {
    name: 'reg_pump', rows: 340, columns: 'id bigint primary key, tag text, station text, kw numeric(7,2), installed date, remarks text',
    row: (i, r) => [i, typed(r, `P-${1000 + i}`), typed(r, `${pick(r, districts)} station ${1 + Math.floor(r() * 9)}`), Number((r() * 180).toFixed(2)), day(r), r() < 0.7 ? '   ' : typed(r, 'seal replaced')],
  },
  {
    name: 'reg_valve', rows: 2800, columns: 'id bigint primary key, tag text, kind text, dn integer, normally text, district text',
    row: (i, r) => [i, typed(r, `V-${10_000 + i}`), typed(r, pick(r, ['gate', 'butterfly', 'check', 'air'])), pick(r, [80, 100, 150, 200, 300, 400]), pick(r, ['open', 'closed ', ' open']), pick(r, districts)],
  },
  {
    name: 'reg_main', rows: 6200, columns: 'id bigint primary key, material text, dn integer, length_m numeric(9,1), laid date, from_node text, to_node text',
    row: (i, r) => [i, typed(r, pick(r, ['ductile iron', 'cast iron', 'PE 100', 'PVC', 'steel'])), pick(r, [80, 100, 150, 200, 300, 500]), Number((r() * 900).toFixed(1)), day(r), `N${Math.floor(r() * 5000)}`, `N${Math.floor(r() * 5000)}`],
  },
  {
    name: 'reg_reservoir', rows: 11, columns: 'id bigint primary key, name text, volume_m3 integer, top_level_m numeric(6,2)',
    row: (i, r) => [i, i === 1 ? 'Dunmoor ' : typed(r, `${pick(r, districts)} tank ${i}`), 400 + Math.floor(r() * 9000), Number((80 + r() * 140).toFixed(2))],
  },
  {
    name: 'reg_meter', rows: 9400, columns: 'id bigint primary key, serial text, zone_code text, size text, fitted date, active boolean, note text',
    row: (i, r) => [i, typed(r, `M${700_000 + i}`), `Z${1 + Math.floor(r() * 38)}`, pick(r, ['Q3 2.5', 'Q3 4', 'Q3 10', ' Q3 16']), day(r), r() < 0.93 ? 'true' : 'false', r() < 0.9 ? null : typed(r, 'behind the hedge')],
  },
  {
    name: 'reg_zone', rows: 38, columns: 'id bigint primary key, code text unique, district text, households integer',
    row: (i, r) => [i, `Z${i}`, pick(r, districts), 300 + Math.floor(r() * 4000)],
  },
] // prettier-ignore

/** Fills assetdb; every value from the seed. */
export async function makeAssets(client: pg.ClientBase): Promise<void> {
  for (const { name, columns, rows, row } of assetTables) {
    const random = randomFrom(name)
    await client.query(`create table if not exists public.${name} (${columns})`)
    await client.query(`truncate public.${name}`)
    const data = Array.from({ length: rows }, (_, i) => row(i + 1, random))
    const width = data[0]!.length
    for (let at = 0; at < data.length; at += 1000) {
      const batch = data.slice(at, at + 1000)
      const places = batch.map(
        (_, i) => `(${Array.from({ length: width }, (_, j) => `$${i * width + j + 1}`).join(', ')})`,
      )
      await client.query(`insert into public.${name} values ${places.join(', ')}`, batch.flat())
    }
  }
}
