import { screen, within } from '@testing-library/react'
import { describe, expect, it } from 'vitest'
import { fault, show, type Answers } from '../../testing/page'
import type { DatasetData } from './answers'
import Dataset from './Dataset'

type Column = DatasetData['columns'][number]
const column = (name: string, more: Partial<Column> = {}): Column =>
  ({ name, source: name, type: 'text', byHand: [], ...more }) as Column
const found = ({ name, type }: Column) => ({ name, type })
const columns = [
  column('station', { type: 'text' }),
  column('flow', {
    type: 'text',
    verdict: {
      type: 'text',
      looked: 2_000,
      blank: 12,
      decided: { count: 3, classes: ['word'], first: { value: 'dry', file: 'in/2026/b.csv', row: 1_204 } },
      stricter: { type: 'number', fails: 3 },
      longest: 6,
    },
  }),
  column('column_3', { source: 'column_3', unnamed: true, type: 'integer' }),
]
const dataset = (more: Partial<DatasetData> = {}): DatasetData => ({
  id: 7,
  environment: 'dev',
  connection: 'drop',
  locator: 'readings/*.csv',
  kind: 'files',
  name: 'readings',
  description: '',
  owner: '',
  tags: [],
  key: ['station'],
  keyByHand: null,
  newColumns: 'hold',
  closed: false,
  edits: {},
  columns,
  version: 2,
  format: { kind: 'csv', delimiter: ';', header: true },
  files: 40,
  bytes: 9_000_000,
  rows: 120_000,
  estimated: true,
  unnamed: 1,
  waits: null,
  goneAt: null,
  surveyedAt: '2026-11-20T10:00:00.000Z',
  profile: null,
  versions: [
    { version: 2, at: '2026-11-20T10:00:00.000Z', by: 'Ana', columns: columns.map(found) },
    {
      version: 1,
      at: '2026-10-01T10:00:00.000Z',
      by: 'survey 3',
      columns: [
        { name: 'station', type: 'integer' },
        { name: 'flow', type: 'text' },
      ],
    },
  ],
  uses: [],
  days: { direction: 'read', days: [] },
  counts: [],
  ...more,
})
const open = (data: DatasetData, more: Answers = {}, view = '', role: 'engineer' | 'reader' = 'engineer') =>
  show(<Dataset />, {
    at: `/catalog/7${view && `?view=${view}`}`,
    path: '/catalog/:id',
    role,
    answers: { dataset: data, ...more },
  })

describe('a dataset', () => {
  it('says what it is, where it lies, and which values decided a type', async () => {
    const page = open(dataset())
    await screen.findByText('readings')
    for (const words of [
      'files in drop',
      'readings/*.csv',
      '≈ 120,000 rows',
      '3 of 2,000 values (0.1 %) are no numbers, such as “dry” (b.csv, row 1,204)',
      'One column has no name.',
    ])
      expect(page.text()).toContain(words)
  })

  it('has its columns named, typed and described in one pass; only what was changed is sent', async () => {
    const page = open(dataset(), { editDataset: {} })
    await page.user.click(await screen.findByRole('button', { name: 'Name the columns' }))
    const name = screen.getByLabelText('name of column_3')
    await page.user.clear(name)
    await page.user.type(name, 'sensor')
    await page.user.type(screen.getByLabelText('description of flow'), 'in m³/s')
    await page.user.click(screen.getByLabelText('flow is of the key'))
    await page.user.click(screen.getByRole('button', { name: 'Save' }))
    expect(page.bodies('editDataset')).toEqual([
      {
        edits: { column_3: { name: 'sensor' }, flow: { description: 'in m³/s' } },
        key: ['station', 'flow'],
      },
    ])
    await screen.findByRole('button', { name: 'Name the columns' })
  })

  it('says which numbers of different values are estimated, and has them counted where asked', async () => {
    const one = (name: string, distinct: number, estimated?: true) => ({
      name,
      nulls: 0,
      distinct,
      ...(estimated ? { estimated } : {}),
      min: 'a',
      max: 'z',
      mean: null,
      deviation: null,
      common: [],
      bins: [],
    })
    const profile = {
      state: 'done' as const,
      askedAt: '2026-11-20T10:00:00.000Z',
      startedAt: '2026-11-20T10:00:01.000Z',
      endedAt: '2026-11-20T10:00:03.000Z',
      rows: 20_000,
      fault: null,
      columns: [one('station', 20_000, true), one('flow', 20_000), one('column_3', 7)],
    }
    const page = open(dataset({ profile }), { profileDataset: {} }, 'profile')
    await page.user.click(await screen.findByRole('button', { name: 'Count them exactly' }))
    expect(page.bodies('profileDataset')).toEqual([{ exact: true }])
    // an estimate that happens to be the number of rows does not say that all differ
    const cells = screen
      .getAllByRole('row')
      .slice(1, 4)
      .map((row) => row.textContent)
    expect(cells[0]).toContain('≈ 20,000')
    expect(cells[1]).toContain('all')
    expect(cells[2]).toContain('7')
    await page.user.click(screen.getByRole('button', { name: 'Profile it again' }))
    expect(page.bodies('profileDataset')).toEqual([{ exact: true }, { exact: false }])
  })

  it('has no offer to count where nothing is estimated', async () => {
    open(dataset(), {}, 'profile')
    await screen.findByRole('button', { name: 'Profile it' })
    expect(screen.queryByRole('button', { name: 'Count them exactly' })).toBeNull()
  })

  it('asks how values are read that can be read in two ways, and keeps what is chosen', async () => {
    const verdict = { type: 'text' as const, looked: 3, blank: 0, decided: null, stricter: null, longest: 10 }
    const asked = ['d/M/yyyy', 'M/d/yyyy'].map((pattern) => ({
      type: 'date' as const,
      reading: { dates: [pattern] },
    }))
    const page = open(dataset({ columns: [column('seen', { verdict: { ...verdict, asked } })] }), {
      editDataset: {},
    })
    await screen.findByText('d/M/yyyy or M/d/yyyy? 3 values can be read either way')
    await page.user.keyboard('e')
    await page.user.click(await screen.findByLabelText('type of seen'))
    await page.user.click(await screen.findByRole('option', { name: 'date, M/d/yyyy' }))
    expect(screen.getByLabelText<HTMLInputElement>('pattern of seen').value).toBe('M/d/yyyy')
    await page.user.click(screen.getByRole('button', { name: 'Save' }))
    expect(page.bodies('editDataset')).toEqual([
      { edits: { seen: { type: 'date', reading: { dates: ['M/d/yyyy'] } } } },
    ])
  })

  it('takes how numbers are written, and a pattern of days, by hand', async () => {
    const page = open(
      dataset({ columns: [column('n', { type: 'decimal' }), column('day', { type: 'date' })] }),
      {
        editDataset: {},
      },
    )
    await screen.findByText('readings')
    await page.user.keyboard('e')
    await page.user.click(await screen.findByLabelText('how numbers of n are written'))
    await page.user.click(await screen.findByRole('option', { name: 'written 1.234,5' }))
    await page.user.type(screen.getByLabelText('pattern of day'), 'd.M.yy')
    await page.user.click(screen.getByRole('button', { name: 'Save' }))
    expect(page.bodies('editDataset')).toEqual([
      {
        edits: { n: { reading: { thousands: '.', decimal: ',' } }, day: { reading: { dates: ['d.M.yy'] } } },
      },
    ])
  })

  it('takes a name that is left empty as it was found', async () => {
    const page = open(dataset(), { editDataset: {} })
    await page.user.click(await screen.findByRole('button', { name: 'Name the columns' }))
    await page.user.clear(screen.getByLabelText('name of column_3'))
    await page.user.click(screen.getByRole('button', { name: 'Save' }))
    expect(page.bodies('editDataset')).toEqual([{ edits: {} }])
  })

  it('keeps the key where the name of its column goes back to what it was', async () => {
    const page = open(
      dataset({
        edits: { station: { name: 'station_id' } },
        columns: [column('station_id', { source: 'station', byHand: ['name'] })],
        key: ['station_id'],
      }),
      { editDataset: {} },
    )
    await screen.findByText('readings')
    await page.user.keyboard('e')
    const name = await screen.findByLabelText('name of station')
    await page.user.clear(name)
    await page.user.type(name, 'station')
    await page.user.click(screen.getByRole('button', { name: 'Save' }))
    expect(page.bodies('editDataset')).toEqual([{ edits: {}, key: ['station'] }])
  })

  it('leaves all as it was where its editing is left', async () => {
    const page = open(dataset())
    await page.user.click(await screen.findByRole('button', { name: 'Name the columns' }))
    await page.user.type(screen.getByLabelText('name of flow'), 'x')
    await page.user.click(screen.getByRole('button', { name: 'Leave as it was' }))
    await page.user.click(screen.getByRole('button', { name: 'Name the columns' }))
    expect((screen.getByLabelText('name of flow') as HTMLInputElement).value).toBe('flow')
    expect(page.bodies('editDataset')).toEqual([])
  })

  it('says what waits, and takes it in as a new version', async () => {
    const waits: DatasetData['waits'] = {
      added: [{ name: 'depth', type: 'number' }],
      gone: [{ name: 'dry', type: 'boolean' }],
      changed: [{ name: 'flow', from: 'number', to: 'text' }],
      renamed: [{ from: 'dry', to: 'depth', likeness: 0.62 }],
    }
    const page = open(dataset({ waits }), { acceptDrift: {} })
    const box = await screen.findByRole('status', { name: 'what waits' })
    for (const words of ['new depth', 'gone dry', 'flow was number, is text', 'likeness 0.62'])
      expect(box.textContent).toContain(words)
    await page.user.click(within(box).getByRole('button', { name: 'Take it in as version 3' }))
    expect(page.asked.filter(({ route }) => route === 'acceptDrift')).toHaveLength(1)
    open(dataset({ waits }), {}, '', 'reader')
    await screen.findByRole('status', { name: 'what waits' })
    expect(screen.queryByRole('button', { name: /Take it in/ })).toBeNull()
  })

  it('compares two of its versions, column by column', async () => {
    const page = open(dataset(), {}, 'versions')
    await screen.findByText('From version 1 to 2')
    expect(page.text()).toContain('other type station was integer, is text')
    expect(page.text()).toContain('new column_3')
    await page.user.click(screen.getByLabelText('compare version 2'))
    expect(screen.queryByText(/From version/)).toBeNull()
  })

  it('shows rows as they are, nothing as nothing', async () => {
    const page = open(
      dataset(),
      {
        datasetRows: {
          columns: ['station', 'flow', 'column_3'],
          rows: [
            ['0042', '1,5', null],
            ['', '-', '3'],
          ],
        },
      },
      'rows',
    )
    expect(await screen.findByText('0042')).toBeTruthy()
    expect(screen.getByText('1,5')).toBeTruthy()
    expect(page.asked.find(({ route }) => route === 'datasetRows')?.query.limit).toBe('100')
  })

  it('says why there are no rows to show', async () => {
    open(dataset(), { datasetRows: fault('connection', 'the store "drop" is away') }, 'rows')
    expect(await screen.findByText(/the store "drop" is away/)).toBeTruthy()
  })

  it('takes a Table Schema in and says what of it was left', async () => {
    const page = open(dataset(), { takeTableSchema: { left: ['the pattern of flow'] } })
    await screen.findByText('readings')
    const input = document.querySelector<HTMLInputElement>('input[type=file]')!
    await page.user.upload(input, new File(['{"fields": [{"name": "station"}]}'], 's.json'))
    expect(await screen.findByText(/Taken in, but not all of it.*the pattern of flow/)).toBeTruthy()
    expect(page.bodies('takeTableSchema')).toEqual([{ fields: [{ name: 'station' }] }])
  })

  it('says that a file is no JSON before anything is asked', async () => {
    const page = open(dataset())
    await screen.findByText('readings')
    const input = document.querySelector<HTMLInputElement>('input[type=file]')!
    await page.user.upload(input, new File(['station;flow'], 'readings.json'))
    expect(await screen.findByText(/readings\.json is no JSON/)).toBeTruthy()
    expect(page.bodies('takeTableSchema')).toEqual([])
  })

  it('lets a reader take a schema out, and bring none in', async () => {
    const page = open(dataset(), {}, '', 'reader')
    await page.user.click(await screen.findByRole('button', { name: 'Table Schema' }))
    expect(screen.getByRole('menuitem', { name: 'take it out' }).getAttribute('href')).toBe(
      '/api/datasets/7/table-schema',
    )
    expect(screen.queryByRole('menuitem', { name: /bring one in/ })).toBeNull()
    expect(screen.queryByRole('button', { name: /(Name|Edit) the columns/ })).toBeNull()
  })

  it('that is gone says since when, and that nothing of it is lost', async () => {
    open(dataset({ goneAt: '2026-11-22T08:30:00.000Z' }))
    expect(await screen.findByText(/It was not found any more at .*What is known of it is kept/)).toBeTruthy()
  })

  it('shows which slices of it are there, by each row that is loaded into it', async () => {
    const day = 86_400_000
    const slices = [3, 2, 1].map((ago) => ({ from: new Date(Date.now() - ago * day).toISOString(), to: new Date(Date.now() - (ago - 1) * day).toISOString(), label: `${ago} days ago` })) // prettier-ignore
    const row = {
      part: 'bring',
      row: 'flow_a',
      there: true,
      values: [],
      letters: 'LML',
      rows: [5, 0, 6],
      rejected: [],
      gaps: 1,
    }
    const job = { job: 'gauges', title: 'Gauge readings', zone: 'UTC', every: 'P1D', slices, parts: [], columns: [], rows: [row], restatedFrom: null, trouble: null, without: null } as never // prettier-ignore
    const written = dataset({ days: { direction: 'write', days: [] } })
    const page = show(<Dataset />, { answers: { dataset: written, datasetCoverage: { at: new Date().toISOString(), jobs: [job] } }, at: '/catalog/7?view=slices', path: '/catalog/:id' }) // prettier-ignore
    expect(await screen.findByText('flow_a')).toBeTruthy()
    expect(screen.getByRole('img', { name: /flow_a.*1 slice missing/ })).toBeTruthy()
    expect(page.asked.find(({ route }) => route === 'datasetCoverage')!.params).toEqual({ id: '7' })
    show(<Dataset />, { answers: { dataset: written, datasetCoverage: { at: new Date().toISOString(), jobs: [] } }, at: '/catalog/7?view=slices', path: '/catalog/:id' }) // prettier-ignore
    expect(await screen.findByText(/No job loads it slice by slice/)).toBeTruthy()
  })
  it('that is not there says so', async () => {
    show(<Dataset />, {
      at: '/catalog/999',
      path: '/catalog/:id',
      answers: { dataset: fault('unknown-name', 'there is no dataset 999') },
    })
    expect(await screen.findByText(/there is no dataset 999/)).toBeTruthy()
  })
})
