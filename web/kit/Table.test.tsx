import { act, fireEvent, render, screen, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { describe, expect, it, vi } from 'vitest'
import { Table, type TableColumn } from './Table'

vi.mock('../data/api', () => ({ call: vi.fn(() => Promise.resolve({})) }))

interface Feed {
  readonly name: string
  readonly rows: number | null
}
const feeds: readonly Feed[] = [
  { name: 'thornby', rows: 12 },
  { name: 'aldmere', rows: 7 },
  { name: 'corrie', rows: null },
  { name: 'hexley', rows: 100 },
]
const columns: readonly TableColumn<Feed>[] = [
  { id: 'name', title: 'feed', width: '1fr', cell: ({ name }) => name, value: ({ name }) => name },
  {
    id: 'rows',
    title: 'rows',
    width: '80px',
    number: true,
    cell: ({ rows }) => rows ?? '',
    value: ({ rows }) => rows,
  },
  { id: 'a', title: 'a', width: '80px', cell: () => 'a' },
  { id: 'b', title: 'b', width: '80px', cell: () => 'b' },
]
let counter = 0
const table = (more: object = {}) =>
  render(<Table label={`feeds ${'x'.repeat(++counter)}`} columns={columns} rows={feeds} {...more} />)
const names = () =>
  screen
    .getAllByRole('row')
    .slice(1)
    .map((row) => within(row).getAllByRole('gridcell')[0]!.textContent)

describe('the table', () => {
  it('shows its rows in their own order, and says how many there are', () => {
    table()
    expect(names()).toEqual(['thornby', 'aldmere', 'corrie', 'hexley'])
    expect(screen.getByRole('grid').getAttribute('aria-rowcount')).toBe('5')
  })

  it('is sorted by a column, and says so; what is not there comes last', async () => {
    table()
    await userEvent.click(screen.getByRole('button', { name: 'feed' }))
    expect(names()).toEqual(['aldmere', 'corrie', 'hexley', 'thornby'])
    expect(screen.getByRole('columnheader', { name: /feed/ }).getAttribute('aria-sort')).toBe('ascending')
    await userEvent.click(screen.getByRole('button', { name: 'feed' }))
    expect(names()).toEqual(['thornby', 'hexley', 'corrie', 'aldmere'])
  })

  it('sorts nothing that the server gives page by page', () => {
    table({ rows: undefined, total: 4, row: (i: number) => feeds[i] })
    expect(screen.queryByRole('button', { name: 'feed' })).toBeNull()
    expect(names()).toEqual(['thornby', 'aldmere', 'corrie', 'hexley'])
  })

  it('draws dots for rows that are on their way', () => {
    table({ rows: undefined, total: 2, row: () => undefined })
    expect(screen.getAllByText('…').length).toBe(8)
  })

  it('goes from row to row by keys, opens and picks', () => {
    const onOpen = vi.fn()
    const onPick = vi.fn()
    const onCurrent = vi.fn()
    table({ onOpen, onPick, onCurrent })
    const grid = screen.getByRole('grid')
    act(() => grid.focus())
    fireEvent.keyDown(grid, { key: 'j' })
    fireEvent.keyDown(grid, { key: 'ArrowDown' })
    expect(onCurrent).toHaveBeenLastCalledWith(feeds[2])
    fireEvent.keyDown(grid, { key: 'k' })
    fireEvent.keyDown(grid, { key: 'Enter' })
    expect(onOpen).toHaveBeenCalledWith(feeds[1], 1)
    fireEvent.keyDown(grid, { key: 'x' })
    expect(onPick).toHaveBeenCalledWith(feeds[1])
    fireEvent.keyDown(grid, { key: 'End' })
    expect(onCurrent).toHaveBeenLastCalledWith(feeds[3])
  })

  it('opens the row that is shown, not the one that stood there before it was sorted', async () => {
    const onOpen = vi.fn()
    table({ onOpen })
    await userEvent.click(screen.getByRole('button', { name: 'feed' }))
    await userEvent.click(screen.getByText('aldmere'))
    expect(onOpen).toHaveBeenCalledWith(feeds[1], 0)
  })

  it('copies a row as text, parted by tabs', () => {
    const writeText = vi.fn(() => Promise.resolve())
    Object.defineProperty(navigator, 'clipboard', { configurable: true, value: { writeText } })
    table()
    const grid = screen.getByRole('grid')
    act(() => grid.focus())
    fireEvent.keyDown(grid, { key: 'c', ctrlKey: true })
    expect(writeText).toHaveBeenCalledWith('thornby\t12')
  })

  it('hides a column, and brings all back', async () => {
    table()
    await userEvent.click(screen.getByRole('button', { name: 'columns' }))
    await userEvent.click(screen.getByRole('menuitemcheckbox', { name: 'rows' }))
    expect(screen.queryByRole('columnheader', { name: 'rows' })).toBeNull()
    await userEvent.click(screen.getByRole('menuitem', { name: 'as it was at first' }))
    expect(screen.getByRole('columnheader', { name: 'rows', hidden: true })).toBeTruthy()
  })

  it('begins without the columns that are not wanted at first', () => {
    table({ hiddenAtFirst: ['a', 'b'] })
    expect(screen.getAllByRole('columnheader').map(({ textContent }) => textContent)).toEqual([
      'feed',
      'rows',
    ])
  })

  it('says what it is for where it has no rows', () => {
    table({ rows: [], empty: <p>there is none yet</p> })
    expect(screen.getByText('there is none yet')).toBeTruthy()
  })
})
