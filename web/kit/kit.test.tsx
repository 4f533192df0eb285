import { fireEvent, screen, waitFor, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { useState, type ReactElement } from 'react'
import { Link } from 'react-router'
import { describe, expect, it, vi } from 'vitest'
import { z } from 'zod'
import { field } from '../../core/field/field'
import { ApiFault } from '../data/api'
import { show } from '../testing/page'
import { Confirm } from './Confirm'
import { DaySpan } from './dates'
import { Empty, FaultBox, Waiting } from './Fault'
import { FilePick } from './FilePick'
import { Form } from './Form'
import { say } from './Notice'
import { Panels } from './Panels'
import { Template } from './Template'
import { Views } from './Views'

const schema = z.strictObject({
  name: field(z.string().min(1, 'needs a value'), { label: 'name' }),
  port: field(z.int().min(1).max(65_535, 'no port is larger'), { label: 'port' }).optional(),
})
const faultAt = (path: string) =>
  new ApiFault({ code: 'request', message: 'taken already', where: { path } }, [], 409)

function shown(onSubmit: (values: unknown) => Promise<unknown>, more: object = {}) {
  return show(
    <>
      <Link to="/elsewhere">elsewhere</Link>
      <Form schema={schema} values={{ name: 'books' }} submit="Save" onSubmit={onSubmit} {...more} />
    </>,
  )
}

describe('a form', () => {
  it('gives what its schema makes of what was typed', async () => {
    const saved = vi.fn(() => Promise.resolve())
    const page = shown(saved)
    await page.user.type(screen.getByLabelText('port'), '5432')
    await page.user.click(screen.getByRole('button', { name: 'Save' }))
    expect(saved).toHaveBeenCalledWith({ name: 'books', port: 5432 })
  })

  it('says what is wrong beside its field, and gives nothing', async () => {
    const saved = vi.fn(() => Promise.resolve())
    const page = shown(saved)
    await page.user.clear(screen.getByLabelText('name'))
    await page.user.type(screen.getByLabelText('port'), '70000')
    await page.user.click(screen.getByRole('button', { name: 'Save' }))
    expect(await screen.findByText('needs a value')).toBeTruthy()
    expect(screen.getByText('no port is larger')).toBeTruthy()
    expect(screen.getByText('Something is missing or wrong above.')).toBeTruthy()
    expect(saved).not.toHaveBeenCalled()
  })

  it('says what the server found beside the same field', async () => {
    const page = shown(() => Promise.reject(faultAt('name')))
    await page.user.click(screen.getByRole('button', { name: 'Save' }))
    expect(await screen.findAllByText('taken already')).toHaveLength(2)
    const field = screen.getByLabelText('name')
    expect(field.getAttribute('aria-invalid')).toBe('true')
  })

  it('takes no second press while the first is under way', async () => {
    let done: () => void = () => {}
    const saved = vi.fn(() => new Promise<void>((resolve) => (done = resolve)))
    const page = shown(saved)
    await page.user.click(screen.getByRole('button', { name: 'Save' }))
    await page.user.click(screen.getByRole('button', { name: 'Save' }))
    expect(saved).toHaveBeenCalledTimes(1)
    done()
  })

  it('is not left by mistake with work in it, and freely without', async () => {
    const page = shown(() => Promise.resolve())
    await page.user.type(screen.getByLabelText('name'), ' of all')
    await page.user.click(screen.getByRole('link', { name: 'elsewhere' }))
    const dialog = await screen.findByRole('dialog', { name: 'Leave without saving?' })
    await page.user.click(within(dialog).getByRole('button', { name: 'Stay here' }))
    expect(page.address()).toBe('/')
    expect(screen.getByLabelText('name')).toHaveProperty('value', 'books of all')
    await page.user.click(screen.getByRole('link', { name: 'elsewhere' }))
    await page.user.click(
      within(await screen.findByRole('dialog')).getByRole('button', { name: 'Leave it unsaved' }),
    )
    expect(page.address()).toBe('/elsewhere')
    const again = shown(() => Promise.resolve())
    await again.user.click(screen.getByRole('link', { name: 'elsewhere' }))
    expect(again.address()).toBe('/elsewhere')
  })

  it('that was saved is left without a question', async () => {
    const saved = vi.fn(() => Promise.resolve())
    const page = shown(saved)
    await page.user.type(screen.getByLabelText('name'), '2')
    await page.user.click(screen.getByRole('button', { name: 'Save' }))
    await waitFor(() => expect(saved).toHaveBeenCalled())
    // the form is itself again when the answer has come
    await waitFor(() =>
      expect(screen.getByRole('button', { name: 'Save' })).toHaveProperty('disabled', false),
    )
    await page.user.click(await screen.findByRole('link', { name: 'elsewhere' }))
    expect(page.address()).toBe('/elsewhere')
  })
})

describe('a question', () => {
  it('has the harmless answer under the fingers', async () => {
    const [yes, no] = [vi.fn(), vi.fn()]
    const page = show(
      <Confirm title="Take it away?" yes="Take it" onYes={yes} onNo={no}>
        It cannot be brought back.
      </Confirm>,
    )
    expect(document.activeElement?.textContent).toBe('Leave it as it is')
    await page.user.keyboard('{Enter}')
    expect(no).toHaveBeenCalledTimes(1)
    await page.user.keyboard('{Escape}')
    expect(no).toHaveBeenCalledTimes(2)
    expect(yes).not.toHaveBeenCalled()
  })
})

describe('a span of days', () => {
  const shownSpan = (first: string, last: string) => {
    const changed = vi.fn()
    const page = show(<DaySpan first={first} last={last} onChange={changed} />)
    return { changed, page }
  }

  it('counts its days, both ends included, over a clock change too', () => {
    shownSpan('2026-10-24', '2026-10-26')
    expect(screen.getByText('3 days')).toBeTruthy()
    shownSpan('2026-11-01', '2026-11-01')
    expect(screen.getByText('1 day')).toBeTruthy()
  })

  it('says what is wrong with it', () => {
    shownSpan('2026-11-02', '2026-11-01')
    expect(screen.getByText('the last day is before the first')).toBeTruthy()
    shownSpan('', '2026-11-01')
    expect(screen.getByText('both days are needed')).toBeTruthy()
  })

  it('offers the spans that are asked for most, from today', async () => {
    const { changed, page } = shownSpan('', '')
    for (const words of ['yesterday', 'last 7 days', 'this month'])
      await page.user.click(screen.getByRole('button', { name: words }))
    expect(changed.mock.calls).toEqual([
      ['2026-11-23', '2026-11-23'],
      ['2026-11-17', '2026-11-23'],
      ['2026-11-01', '2026-11-24'],
    ])
  })
})

describe('a text with expressions', () => {
  function Held(): ReactElement {
    const [text, setText] = useState('')
    return (
      <Template
        label="files"
        value={text}
        onChange={setText}
        names={['row.district', 'row.kind', 'slice.from']}
        texts={['gauge-drop']}
      />
    )
  }
  const type = (text: string) =>
    fireEvent.change(screen.getByLabelText('files'), { target: { value: text, selectionStart: text.length } })

  it('offers names within braces, and whole texts outside of them', async () => {
    const page = show(<Held />)
    type('{row.')
    expect(screen.getAllByRole('option').map(({ textContent }) => textContent)).toEqual([
      'row.district',
      'row.kind',
    ])
    screen.getByLabelText('files').focus()
    await page.user.keyboard('{ArrowDown}{Enter}')
    expect(screen.getByLabelText('files')).toHaveProperty('value', '{row.kind')
    type('gau')
    expect(screen.getAllByRole('option').map(({ textContent }) => textContent)).toEqual(['gauge-drop'])
  })

  it('offers nothing behind a doubled brace, which is a letter', () => {
    show(<Held />)
    type('{{row')
    expect(screen.queryAllByRole('option')).toEqual([])
  })

  it('lets go of what it offers by Escape', async () => {
    const page = show(<Held />)
    type('{row')
    screen.getByLabelText('files').focus()
    await page.user.keyboard('{Escape}')
    expect(screen.queryAllByRole('option')).toEqual([])
  })
})

describe('files', () => {
  it('are picked by their ending, and others refused by name', async () => {
    const taken = vi.fn()
    show(<FilePick label="rows" endings={['.csv']} onFiles={taken} />)
    // as a browser does it: what is dropped is among the files of the input
    const drop = (name: string) =>
      userEvent.upload(screen.getByLabelText('rows'), new File(['x'], name), { applyAccept: false })
    await drop('rows.csv')
    await waitFor(() => expect(taken).toHaveBeenCalledTimes(1))
    await drop('photo.png')
    expect(await screen.findByText(/photo\.png does not end in \.csv/)).toBeTruthy()
    expect(taken).toHaveBeenCalledTimes(1)
  })
})

describe('views', () => {
  it('are gone through by the arrows', async () => {
    const changed = vi.fn()
    const page = show(<Views label="view" value="a" views={[['a', 'one'], ['b', 'two']]} onChange={changed} />) // prettier-ignore
    screen.getByRole('tab', { name: 'one' }).focus()
    await page.user.keyboard('{ArrowRight}')
    expect(changed).toHaveBeenCalledWith('b')
  })
})

describe('two sheets', () => {
  it('are one where the second is not there', () => {
    show(
      <Panels name="x" first={30}>
        {[<p key="a">left</p>, false]}
      </Panels>,
    )
    expect(screen.queryByLabelText('divider')).toBeNull()
    show(
      <Panels name="x" first={30}>
        {[<p key="a">left</p>, <p key="b">right</p>]}
      </Panels>,
    )
    expect(screen.getByLabelText('divider')).toBeTruthy()
  })
})

describe('what is said', () => {
  it('is said with a way back where there is one', async () => {
    const undo = vi.fn()
    const page = show(<p>page</p>)
    say('saved as version 4')
    expect(await screen.findByText('saved as version 4')).toBeTruthy()
    expect(screen.queryByRole('button', { name: 'Undo' })).toBeNull()
    say('kept for 40 days', undo)
    await page.user.click(await screen.findByRole('button', { name: 'Undo' }))
    expect(undo).toHaveBeenCalledTimes(1)
  })

  it('is a fault in its own words, an emptiness, or a wait', async () => {
    show(<FaultBox error={new Error('the store is away')} />)
    expect(screen.getByText(/the store is away/)).toBeTruthy()
    show(<Empty>There is none yet.</Empty>)
    expect(screen.getByText('There is none yet.')).toBeTruthy()
    show(<Waiting what="reading the jobs" />)
    expect(await screen.findByText(/reading the jobs/)).toBeTruthy()
  })
})
