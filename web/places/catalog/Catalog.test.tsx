import { screen } from '@testing-library/react'
import { describe, expect, it } from 'vitest'
import type { Answer } from '../../../contract/route'
import type { routes } from '../../../contract/routes'
import { show, type Answers } from '../../testing/page'
import Catalog from './Catalog'

type Brief = Answer<typeof routes.datasets>['datasets'][number]
const at = { at: '/catalog', path: '/catalog' }
const dataset = (id: number, more: Partial<Brief> = {}): Brief => ({
  id,
  name: `reading_${id}`,
  connection: 'warehouse',
  locator: `raw.reading_${id}`,
  kind: 'table',
  columns: 5,
  rows: 120_000,
  estimated: true,
  files: null,
  bytes: 9_000_000,
  unnamed: 0,
  drifted: false,
  goneAt: null,
  touchedAt: null,
  tags: [],
  owner: '',
  version: 1,
  surveyedAt: '2026-11-20T10:00:00.000Z',
  ...more,
} as Brief) // prettier-ignore
const facets = {
  connections: [{ name: 'warehouse', count: 3 }],
  tags: [{ name: 'nightly', count: 2 }],
  owners: [],
  flags: [{ name: 'drifted', count: 1 }],
}
const answers = (datasets: Brief[], more: Answers = {}): Answers => ({
  catalogFacets: facets,
  datasets: { total: datasets.length, datasets },
  ...more,
})
const last = (page: ReturnType<typeof show>) =>
  page.asked.filter(({ route }) => route === 'datasets').at(-1)!.query

describe('the catalog', () => {
  it('says of each dataset how large it is, what waits, and when it was used', async () => {
    const page = show(<Catalog />, {
      ...at,
      answers: answers([
        dataset(1),
        dataset(2, { drifted: true }),
        dataset(3, { unnamed: 2, rows: null, bytes: null }),
        dataset(4, { goneAt: '2026-11-20T00:00:00.000Z' }),
      ]),
    })
    expect((await screen.findAllByText('≈ 120,000')).length).toBe(3)
    for (const words of ['something waits', '2 unnamed', 'gone']) expect(screen.getByText(words)).toBeTruthy()
    expect(page.text()).toContain('never')
    expect(screen.getByText('4 datasets in dev')).toBeTruthy()
  })

  it('searches as it is typed, and keeps the search in its address', async () => {
    const page = show(<Catalog />, { ...at, answers: answers([dataset(1)]) })
    await page.user.type(await screen.findByLabelText('search the catalog'), 'meter')
    await screen.findByText('reading_1')
    expect(last(page).search).toBe('meter')
    expect(page.address()).toContain('search=meter')
  })

  it('goes to its search by f', async () => {
    const page = show(<Catalog />, { ...at, answers: answers([dataset(1)]) })
    await screen.findByText('reading_1')
    await page.user.keyboard('f')
    expect(document.activeElement).toBe(screen.getByLabelText('search the catalog'))
  })

  it('is filtered by its address, and takes a filter that is none for no filter', async () => {
    const page = show(<Catalog />, {
      ...at,
      at: '/catalog?flag=drifted&connection=warehouse',
      answers: answers([dataset(1)]),
    })
    await screen.findByText('reading_1')
    expect(last(page)).toMatchObject({ flag: 'drifted', connection: 'warehouse' })
    const other = show(<Catalog />, {
      ...at,
      at: '/catalog?flag=constructor',
      answers: answers([dataset(1)]),
    })
    await screen.findByText('reading_1')
    expect(last(other).flag).toBeUndefined()
  })

  it('makes one job of those that are picked', async () => {
    const page = show(<Catalog />, { ...at, answers: answers([dataset(1), dataset(2)]) })
    await page.user.click(await screen.findByLabelText('pick reading_1'))
    await page.user.click(screen.getByLabelText('pick reading_2'))
    expect(screen.getByText('2 picked')).toBeTruthy()
    await page.user.click(screen.getByLabelText('pick reading_2'))
    await page.user.click(screen.getByRole('button', { name: 'One job for it' }))
    expect(page.address()).toBe('/catalog/job?of=1')
  })

  it('lets a reader pick, and make nothing of it', async () => {
    const page = show(<Catalog />, { ...at, role: 'reader', answers: answers([dataset(1)]) })
    await page.user.click(await screen.findByLabelText('pick reading_1'))
    expect(screen.queryByRole('button', { name: /One job/ })).toBeNull()
  })

  it('says how it is filled where it is empty, and how to see all where nothing fits', async () => {
    show(<Catalog />, { ...at, answers: answers([]) })
    expect(await screen.findByText(/It is filled by surveys/)).toBeTruthy()
    const page = show(<Catalog />, { ...at, at: '/catalog?tag=nightly', answers: answers([]) })
    await page.user.click(await screen.findByRole('button', { name: 'Show all' }))
    expect(page.address()).toBe('/catalog')
  })
})
