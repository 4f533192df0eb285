import { fireEvent, screen, waitFor, within } from '@testing-library/react'
import { useState, type ReactElement } from 'react'
import { describe, expect, it } from 'vitest'
import type { Answer } from '../../../contract/route'
import type { routes } from '../../../contract/routes'
import type { Row } from '../../../core/value'
import { fault, never, show } from '../../testing/page'
import { BringIn } from './BringIn'
import { Conflicts } from './Conflicts'
import { field, type Draft } from '../../kit/drafts'
import { changesOf, draftsOf, type ControlAnswer } from './edits'
import { FindReplace } from '../../kit/FindReplace'
import { History } from './History'
import { NewControl } from './NewControl'
import { Rules } from './Rules'
import type { OpenSheet } from './useSheet'

const table = (rows: Row[] = [], more: Partial<ControlAnswer> = {}): ControlAnswer => ({
  name: 'feeds',
  title: 'Feeds',
  where: { connection: null, schema: 'control', table: 'feeds' },
  columns: [
    { name: 'feed', type: 'text' },
    { name: 'n', type: 'integer' },
    { name: 'active', type: 'boolean' },
  ],
  key: ['feed'],
  rows,
  versions: rows.map((_, i) => `v${i}`),
  rules: {},
  known: { connection: ['drop'], dataset: [] },
  jobs: [],
  ...more,
})
const row = (feed: string, n = 1, active = true): Row => ({ feed, n, active })
const cells = (drafts: readonly Draft[]) =>
  drafts.map((draft) => ['feed', 'n', 'active'].map((name) => draft[field(name)]).join(' '))
const set = (draft: Draft, given: Record<string, string>): Draft => ({
  ...draft,
  ...Object.fromEntries(Object.entries(given).map(([name, text]) => [field(name), text])),
})
const button = (name: string | RegExp) => screen.getByRole<HTMLButtonElement>('button', { name })

describe('rows that are brought in', () => {
  const open = () => {
    const taken: Draft[][] = []
    const own = table([row('a'), row('b', 2), row('c', 3)])
    const page = show(<BringIn table={own} drafts={draftsOf(own)} onTake={(drafts) => taken.push(drafts)} onClose={() => {}} />) // prettier-ignore
    const paste = (text: string) =>
      fireEvent.change(screen.getByLabelText(/paste CSV or JSON/), { target: { value: text } })
    return { page, paste, taken, what: () => screen.getByRole('region', { name: 'what comes in' }) }
  }

  it('are seen by what they add, change and lack, before they are taken', async () => {
    const { page, paste, taken, what } = open()
    expect(button('Take in').disabled).toBe(true)
    paste('feed,n,colour\na,1,red\nb,20,blue\nd,4,green\n')
    const text = what().textContent
    for (const words of [
      '1newd',
      '1changedb n 2 → 20',
      '1not among them',
      '1the same1 column the table has not, left aside: colour',
    ])
      // prettier-ignore
      expect(text).toContain(words)
    await page.user.click(button('Take in'))
    expect(cells(taken[0]!)).toEqual(['a 1 yes', 'b 20 yes', 'c 3 yes', 'd 4 '])
  })

  it('take out what is not among them only where that is ticked', async () => {
    const { page, paste, taken } = open()
    paste('feed,n\na,1\n')
    expect(button('Take in').disabled).toBe(true)
    await page.user.click(screen.getByLabelText('take these rows out'))
    await page.user.click(button('Take in'))
    expect(cells(taken[0]!)).toEqual(['a 1 yes'])
  })

  it('stay out one by one where a value is wrong, with row and reason', () => {
    const { paste, what } = open()
    paste('feed,n\na,many\nd,5\n')
    expect(what().textContent).toMatch(/1stay outrow 1: .*many/)
    expect(what().textContent).toContain('1newd')
  })

  it('that cannot be read say why', () => {
    const { paste, what } = open()
    paste('[{"feed": ')
    expect(what().querySelector('.bad')?.textContent).toMatch(/JSON/)
    expect(button('Take in').disabled).toBe(true)
  })
})

describe('rows that two people changed', () => {
  const rows = [row('a', 1), row('b', 2), row('c', 3), row('d', 4)]
  type Conflict = Answer<typeof routes.editControl>['conflicts'][number]
  const conflict = (feed: string, now: Row | null): Conflict => ({
    key: { feed },
    now,
    version: now ? 'w' : null,
  })
  const open = (mine: (drafts: Draft[]) => Draft[], conflicts: Conflict[]) => {
    const own = table(rows)
    const original = draftsOf(own)
    const rebased: { table: ControlAnswer; original: readonly Draft[]; drafts: readonly Draft[] }[] = []
    const sheet = {
      table: own,
      original,
      drafts: mine(original),
      rebase: (read: ControlAnswer, base: readonly Draft[], drafts: readonly Draft[]) =>
        void rebased.push({ table: read, original: base, drafts }),
    } as unknown as OpenSheet
    const page = show(<Conflicts sheet={sheet} conflicts={conflicts} onSettled={() => {}} />)
    const edits = () => {
      const [found] = rebased
      return changesOf(found!.table, found!.original, found!.drafts, () => []).map(({ edit }) => edit)
    }
    return { page, rebased, edits }
  }

  it('are one where they changed other cells: nothing is to be chosen', async () => {
    const { page, rebased, edits } = open(
      ([a, ...rest]) => [set(a!, { n: '10' }), ...rest],
      [conflict('a', row('a', 1, false))],
    )
    expect(page.text()).toContain('1 row changed while you were editing. Nothing was saved.')
    await page.user.click(button('Go on with these'))
    expect(cells(rebased[0]!.drafts)[0]).toBe('a 10 no')
    expect(edits()).toEqual([{ kind: 'change', key: { feed: 'a' }, version: 'w', set: { n: 10 } }])
  })

  it('wait for a choice for each cell that both changed', async () => {
    const { page, rebased, edits } = open(
      ([a, b, ...rest]) => [set(a!, { n: '10' }), set(b!, { n: '20' }), ...rest],
      [conflict('a', row('a', 11)), conflict('b', row('b', 21))],
    )
    expect(button('2 choices to make').disabled).toBe(true)
    await page.user.click(button('11'))
    await page.user.click(button('20'))
    await page.user.click(button('Go on with these'))
    expect(cells(rebased[0]!.drafts).slice(0, 2)).toEqual(['a 11 yes', 'b 20 yes'])
    expect(edits()).toEqual([{ kind: 'change', key: { feed: 'b' }, version: 'w', set: { n: 20 } }])
  })

  it('can be theirs or mine as a whole', async () => {
    const mine = ([a, b, ...rest]: Draft[]) => [set(a!, { n: '10' }), set(b!, { n: '20' }), ...rest]
    const conflicts = [conflict('a', row('a', 11)), conflict('b', row('b', 21))]
    const theirs = open(mine, conflicts)
    await theirs.page.user.click(button('All theirs'))
    await theirs.page.user.click(button('Go on with these'))
    expect(theirs.edits()).toEqual([])
    const own = open(mine, conflicts)
    await own.page.user.click(button('All mine'))
    await own.page.user.click(button('Go on with these'))
    expect(own.edits().map(({ kind }) => kind)).toEqual(['change', 'change'])
  })

  it('that one took out is one question: it stays out, or is put in again as mine', async () => {
    const mine = ([a, ...rest]: Draft[]) => [set(a!, { n: '10' }), ...rest]
    const out = open(mine, [conflict('a', null)])
    await out.page.user.click(button('it was taken out'))
    await out.page.user.click(button('Go on with these'))
    expect(cells(out.rebased[0]!.drafts)).toEqual(['b 2 yes', 'c 3 yes', 'd 4 yes'])
    expect(out.edits()).toEqual([])
    const again = open(mine, [conflict('a', null)])
    await again.page.user.click(button('put it in again'))
    await again.page.user.click(button('Go on with these'))
    expect(again.edits()).toEqual([{ kind: 'add', set: { feed: 'a', n: 10, active: true } }])
  })

  it('that I took out and they changed is kept as they have it, or goes', async () => {
    const mine = ([, ...rest]: Draft[]) => rest
    const kept = open(mine, [conflict('a', row('a', 11))])
    await kept.page.user.click(button('keep it as they have it'))
    await kept.page.user.click(button('Go on with these'))
    expect(kept.edits()).toEqual([])
    expect(cells(kept.rebased[0]!.drafts)[0]).toBe('a 11 yes')
    const gone = open(mine, [conflict('a', row('a', 11))])
    await gone.page.user.click(button('take it out'))
    await gone.page.user.click(button('Go on with these'))
    expect(gone.edits()).toEqual([{ kind: 'remove', key: { feed: 'a' }, version: 'w' }])
  })
})

describe('find and replace', () => {
  it('says in how many cells it would, of the rows that are seen, and does it', async () => {
    const own = table([row('north a'), row('north b'), row('south')])
    const drafts = draftsOf(own)
    const done: Draft[][] = []
    const page = show(
      <FindReplace
        columns={own.columns.map(({ name }) => name)}
        drafts={drafts}
        ids={[drafts[0]!.id, drafts[2]!.id]}
        onReplace={(next) => done.push(next)}
        onClose={() => {}}
      />,
    )
    expect(button('Replace').disabled).toBe(true)
    await page.user.type(screen.getByLabelText('find'), 'north')
    await page.user.type(screen.getByLabelText('put in its place'), 'N')
    await page.user.click(button('Replace in 1 cell'))
    expect(cells(done[0]!)).toEqual(['N a 1 yes', 'north b 1 yes', 'south 1 yes'])
    await page.user.click(screen.getByLabelText('whole cells only'))
    expect(page.text()).toContain('nothing would change')
  })
})

describe('what was changed', () => {
  type Past = Answer<typeof routes.controlHistory>
  const past = (more: Partial<Past[number]>): Past[number] => ({
    id: 1,
    at: '2026-11-23T10:00:00.000Z',
    by: 'Ana',
    rowKey: 'a',
    before: row('a', 1),
    after: row('a', 9),
    ...more,
  })
  const open = (history: Past, role?: 'look') => {
    const own = table([row('a', 9), row('b', 2)])
    const back: Draft[][] = []
    const page = show(
      <History
        table={own}
        row={own.rows[0]}
        column="n"
        onPutBack={role ? undefined : (change) => void back.push(change(draftsOf(own)))}
      />,
      { answers: { controlHistory: history } },
    )
    return { page, back }
  }

  it('says what it was, and is put back', async () => {
    const { page, back } = open([past({})])
    await screen.findByText('put back')
    expect(page.text()).toContain('an 1 → 9')
    await page.user.click(screen.getByText('put back'))
    expect(cells(back[0]!)).toEqual(['a 1 yes', 'b 2 yes'])
  })

  it('puts a row in again that was taken out, and a cell alone where the cell is asked about', async () => {
    const { page, back } = open([past({ rowKey: 'z', before: row('z', 7), after: null })])
    await page.user.click(await screen.findByText('put back'))
    expect(cells(back[0]!)).toEqual(['a 9 yes', 'b 2 yes', 'z 7 yes'])
    await page.user.click(screen.getByText('n'))
    await waitFor(() =>
      expect(page.asked.at(-1)!.query).toEqual(expect.objectContaining({ row: 'a', column: 'n' })),
    )
  })

  it('cannot put back that a row was added, nor be put back by who only looks', async () => {
    open([past({ before: null })])
    expect(await screen.findByText('row added')).toBeTruthy()
    expect(screen.queryByText('put back')).toBeNull()
    open([past({})], 'look')
    await screen.findByText('Ana')
    expect(screen.queryByText('put back')).toBeNull()
  })
})

describe('the rules of columns', () => {
  const Shown = ({ own, locked }: { own: ControlAnswer; locked: boolean }): ReactElement => {
    const [done, setDone] = useState(0)
    return (
      <>
        <Rules table={own} locked={locked} dirty={locked} onChanged={() => setDone(done + 1)} />
        <output>{done} saved</output>
      </>
    )
  }
  const own = table([], { rules: { n: { required: true, one_of: ['1', '2'] } } })

  it('are saved as they stand, without what says nothing', async () => {
    const page = show(<Shown own={own} locked={false} />, { answers: { changeControl: {} } })
    expect(button('Save the rules').disabled).toBe(true)
    await page.user.click(screen.getByLabelText('n is required'))
    await page.user.click(screen.getByLabelText('feed is unique'))
    await page.user.click(screen.getByLabelText('feed is unique'))
    fireEvent.change(screen.getByLabelText('what must hold for active'), { target: { value: 'row.n > 0' } })
    await page.user.click(button('Save the rules'))
    expect(page.bodies('changeControl')).toEqual([
      { title: 'Feeds', rules: { n: { one_of: ['1', '2'] }, active: { holds: 'row.n > 0' } } },
    ])
    expect(await screen.findByText('1 saved')).toBeTruthy()
  })

  it('take a further column, and say what stands in its way', async () => {
    const page = show(<Shown own={own} locked={false} />, {
      answers: { addControlColumn: fault('control', 'feeds has a column "n" already', { path: 'name' }) },
    })
    await page.user.type(screen.getByLabelText('new column'), 'n')
    await page.user.click(button('Add the column'))
    expect(await screen.findByText(/has a column "n" already/)).toBeTruthy()
    expect((screen.getByLabelText('new column') as HTMLInputElement).value).toBe('n')
    expect(page.bodies('addControlColumn')).toEqual([{ name: 'n', type: 'text' }])
  })

  it('wait while rows are unsaved', () => {
    show(<Shown own={own} locked={true} />)
    expect(screen.getByText(/Save or undo the rows first/)).toBeTruthy()
    expect((screen.getByLabelText('n is required') as HTMLInputElement).disabled).toBe(true)
    expect(screen.queryByRole('button', { name: 'Save the rules' })).toBeNull()
  })
})

describe('a new control table', () => {
  const named = async (page: ReturnType<typeof show>) => {
    await page.user.type(screen.getByPlaceholderText('feed_control'), 'north_control')
    await page.user.type(screen.getByLabelText(/what it says/), 'The north')
  }

  it('is made of pasted rows, their types worked out, codes with zeros as text', async () => {
    const page = show(<NewControl onClose={() => {}} />, { answers: { createControl: {} } })
    await page.user.click(screen.getByText('from CSV or JSON'))
    await named(page)
    fireEvent.change(screen.getByLabelText(/the first line names the columns/), {
      target: { value: 'code,n,on\n0042,7,true\n0043,8,false\n' },
    })
    await page.user.click(button('Make it with 2 rows'))
    expect(page.bodies('createControl')).toMatchObject([
      {
        name: 'north_control',
        columns: [
          { name: 'code', type: 'text' },
          { name: 'n', type: 'integer' },
          { name: 'on', type: 'boolean' },
        ],
        rows: [
          { code: '0042', n: 7, on: true },
          { code: '0043', n: 8, on: false },
        ],
      },
    ])
    await waitFor(() => expect(page.address()).toBe('/control/north_control'))
  })

  it('has a row for each dataset that is picked of the catalog', async () => {
    const brief = (id: number, name: string) => ({
      id,
      name,
      connection: 'drop',
      locator: `${name}/*.csv`,
      kind: 'files' as const,
      columns: 3,
      unnamed: 0,
      files: 1,
      rows: 5,
      estimated: false,
      bytes: 1,
      version: 1,
      owner: '',
      tags: [],
      drifted: false,
      goneAt: null,
      surveyedAt: '2026-11-20T10:00:00.000Z',
      touchedAt: null,
    })
    const page = show(<NewControl onClose={() => {}} />, {
      answers: {
        datasets: { total: 2, datasets: [brief(1, 'rain 5 min'), brief(2, 'flow')] },
        createControl: {},
      },
    })
    await page.user.click(screen.getByText('from the catalog'))
    await named(page)
    await page.user.click(await screen.findByRole('button', { name: 'Pick all 2' }))
    await page.user.click(screen.getByLabelText('flow drop'))
    expect(screen.getByText('1 dataset picked')).toBeTruthy()
    await page.user.click(button('Make it with 1 row'))
    expect(page.bodies('createControl')).toMatchObject([
      {
        key: ['dataset'],
        rows: [
          { dataset: 'rain 5 min', connection: 'drop', place: 'rain 5 min/*.csv', target: 'rain_5_min', active: true },
        ],
      },
    ]) // prettier-ignore
  })

  it('says what stands in the way, and keeps what was typed', async () => {
    const page = show(<NewControl onClose={() => {}} />, {
      answers: { createControl: fault('control', 'there is a control table "north_control" already') },
    })
    await named(page)
    await page.user.click(button('Make it'))
    expect(await screen.findByText(/there is a control table/)).toBeTruthy()
    expect((screen.getByPlaceholderText('feed_control') as HTMLInputElement).value).toBe('north_control')
  })

  it('adopts a table where it stands, picked from what its database has', async () => {
    const page = show(<NewControl onClose={() => {}} />, { answers: { connections: never } })
    await page.user.click(screen.getByText('adopt a table'))
    const form = within(screen.getByRole('form', { name: 'a new control table' }))
    expect(form.getByLabelText('connection').getAttribute('aria-disabled')).toBe('true')
    expect(page.text()).toContain('not a row of it is changed')
  })
})
