import { sourceId } from '../roster/gathered'
import { describe, expect, it } from 'vitest'
import { expand } from '../plan/expand/expand'
import { transfersOf } from '../plan/view'
import { oneJobFor, type PickedDataset } from './forDatasets'
import { parseJob } from './parse'

const ask = {
  job: 'all-sources',
  title: "The keeper's sources",
  control: 'all_sources',
  connection: 'wh',
  schema: 'raw',
  write: 'replace-all' as const,
  atOnce: 4,
  trim: true,
}
const picked = (name: string, more: Partial<PickedDataset> = {}): PickedDataset => ({
  name, connection: 'db', kind: 'table', locator: 'public.t', key: ['id'], folders: [], ...more,
}) // prettier-ignore

describe('one job for many datasets', () => {
  // common practice, no source (product.md §2): a new source is a new row, never a new job
  it('is a control table with a row each, and a job that plans one load a row', () => {
    const datasets = [
      ...Array.from({ length: 13 }, (_, i) => picked(`db.public.reg_${i}`, { locator: `public.reg_${i}` })),
      picked('drop.flow', { connection: 'drop', kind: 'files', locator: 'in/flow*.csv' }),
      picked('drop.lake', {
        connection: 'drop',
        kind: 'files',
        locator: 'lake/part*.parquet',
        folders: ['year', 'area'],
      }),
      picked('svc.orders', { connection: 'svc', kind: 'service', locator: '/orders' }),
    ]
    const { control, document, left } = oneJobFor(datasets, ask)
    expect(left).toEqual([])
    expect(control.rows).toHaveLength(16)
    const { job, faults } = parseJob(document)
    expect(faults).toEqual([])
    const expansion = expand(
      {
        job: job!,
        environment: { name: 'dev', values: {} },
        parameters: {},
        only: undefined,
        slices: undefined,
        now: '2026-11-10T00:00:00Z',
      },
      new Map([[sourceId({ kind: 'control', name: 'all_sources' }), control]]),
    )
    expect(expansion.findings).toEqual([])
    const transfers = [...transfersOf(expansion)]
    expect(transfers).toHaveLength(16)
    expect(new Set(transfers.map(({ target }) => target)).size).toBe(16)
    expect(transfers.find(({ load }) => load.key.includes('flow'))!.files!.pattern).toBe('in/flow*.csv')
    expect(transfers.find(({ load }) => load.key.includes('lake'))!.files!.pattern).toBe(
      'lake/year=*/area=*/part*.parquet',
    )
    expect(transfers.find(({ load }) => load.key.includes('orders'))!.address).toBe('/orders')
    expect(transfers[0]!.sourceTable).toBe('public.reg_0')
  })
  it('gives every dataset a table of its own, whatever the names', () => {
    const { control } = oneJobFor(
      [picked('a.x y'), picked('b.X-Y'), picked('c.9lives'), picked(`d.${'n'.repeat(90)}`)],
      ask,
    )
    expect(control.rows.map(({ target }) => target)).toEqual(['x_y', 'x_y_2', 't_9lives', 'n'.repeat(60)])
  })
  it('says which datasets it cannot take, and why', () => {
    const upsert = { ...ask, write: 'upsert' as const }
    const { control, left } = oneJobFor(
      [
        picked('a'),
        picked('b', { key: [] }),
        picked('c', { key: ['other'] }),
        picked('d', { locator: '/x#parts', kind: 'service' }),
        picked('e', { locator: '/x/y', kind: 'service' }),
      ],
      upsert,
    )
    expect(control.rows.map(({ dataset }) => dataset)).toEqual(['a'])
    expect(left.map(({ name }) => name).sort()).toEqual(['b', 'c', 'd', 'e'])
  })
})
