import { fireEvent, screen, within } from '@testing-library/react'
import { describe, expect, it } from 'vitest'
import { connection } from '../../testing/answers'
import { fault, never, show, type Answers } from '../../testing/page'
import Connections from './Connections'

const at = { at: '/connections', path: '/connections' }
const files = connection({
  name: 'gauge-drop',
  kind: 'files',
  title: 'Gauge drop',
  cap: null,
  settings: [{ environment: 'live', settings: { folder: '/srv/drop' }, hasSecret: false, updatedAt: '2026-11-20T10:00:00.000Z', updatedBy: 'Ana' }],
}) // prettier-ignore
const answers = (more: Answers = {}): Answers => ({ connections: [connection(), files], ...more })

describe('connections', () => {
  it('show the settings of the first, and that a secret is kept, not which', async () => {
    const page = show(<Connections />, { ...at, answers: answers() })
    expect(await screen.findByText('kept, encrypted; it is never shown')).toBeTruthy()
    expect(page.text()).toContain('keeper')
    expect(screen.getByText('8 loads at most')).toBeTruthy()
  })

  it('say what a worker must have to reach them', async () => {
    show(<Connections />, { answers: { connections: [connection({ needs: ['office', 'plant'] })] } })
    const row = (await screen.findByRole('rowheader', { name: 'needs' })).closest('tr')!
    expect(row.textContent).toBe('needsofficeplant only workers with that reach it')
  })

  it('say which have no settings here, and where they have some', async () => {
    const page = show(<Connections />, { ...at, at: '/connections?open=gauge-drop', answers: answers() })
    expect(await screen.findByText(/gauge-drop has no settings in dev, but in live/)).toBeTruthy()
    expect(screen.getByText('no settings in dev')).toBeTruthy()
    expect(screen.getByRole('button', { name: 'Give it settings' })).toBeTruthy()
    expect(page.text()).not.toContain('what is in it')
  })

  it('are tested step by step, the failing step last', async () => {
    const steps = [
      { label: 'name resolves', ok: true, detail: '127.0.0.1', milliseconds: 1.2 },
      { label: 'port answers', ok: false, detail: 'ECONNREFUSED', milliseconds: 3 },
    ]
    const page = show(<Connections />, { ...at, answers: answers({ testConnection: { ok: false, steps } }) })
    await page.user.click(await screen.findByRole('button', { name: 'Test it' }))
    const test = await screen.findByRole('region', { name: /Test/ })
    expect(await within(test).findByText('ECONNREFUSED')).toBeTruthy()
    expect(within(test).getByText('does not work')).toBeTruthy()
    expect(within(test).getByLabelText('fails')).toBeTruthy()
    expect(page.bodies('testConnection')).toEqual([{ environment: 'dev' }])
  })

  it('are being tested for as long as it takes', async () => {
    const page = show(<Connections />, { ...at, answers: answers({ testConnection: never }) })
    await page.user.click(await screen.findByRole('button', { name: 'Test it' }))
    expect(await screen.findByRole('button', { name: 'Testing' })).toHaveProperty('disabled', true)
  })

  it('are added by name and kind, and what the server says against it stands beside the field', async () => {
    const page = show(<Connections />, {
      ...at,
      answers: answers({
        addConnection: fault('request', 'that name is kept for the demo', { path: 'name' }),
      }),
    })
    await page.user.click(await screen.findByRole('button', { name: 'Add a connection' }))
    const slip = await screen.findByRole('dialog', { name: 'Add a connection' })
    await page.user.type(within(slip).getByLabelText('name'), 'books')
    await page.user.click(within(slip).getByRole('button', { name: 'Add' }))
    expect(page.bodies('addConnection')).toEqual([
      { name: 'books', kind: 'postgres', title: 'books', cap: null },
    ])
    expect((await within(slip).findAllByText('that name is kept for the demo')).length).toBeGreaterThan(0)
  })

  it('are not added under a name that no job can write', async () => {
    const page = show(<Connections />, { ...at, answers: answers() })
    await page.user.click(await screen.findByRole('button', { name: 'Add a connection' }))
    const slip = await screen.findByRole('dialog', { name: 'Add a connection' })
    await page.user.type(within(slip).getByLabelText('name'), 'My Books')
    await page.user.click(within(slip).getByRole('button', { name: 'Add' }))
    expect((await within(slip).findAllByText(/lower-case letters, digits, - and _/)).length).toBeGreaterThan(
      0,
    )
    expect(page.bodies('addConnection')).toEqual([])
  })

  it('keep a secret that is not typed anew', async () => {
    const page = show(<Connections />, { ...at, answers: answers({ saveSettings: {} }) })
    await page.user.click(await screen.findByRole('button', { name: 'Change' }))
    const host = await screen.findByRole('textbox', { name: /host/ })
    // without a layout every pointer is over the divider of the panels, which takes it
    fireEvent.change(host, { target: { value: 'db.example' } })
    await page.user.click(screen.getByRole('button', { name: 'Save for dev' }))
    const [body] = page.bodies('saveSettings') as { settings: Record<string, unknown>; secret?: string }[]
    expect(body!.settings).toMatchObject({ host: 'db.example', port: 5432, user: 'keeper' })
    expect(body).not.toHaveProperty('secret')
    expect(page.bodies('changeConnection')).toEqual([])
  })

  it('may be looked at and tested by a reader, and changed by nobody who may not', async () => {
    show(<Connections />, { ...at, role: 'reader', answers: answers() })
    expect(await screen.findByRole('button', { name: 'Test it' })).toBeTruthy()
    expect(screen.queryByRole('button', { name: /Add|Change|Give/ })).toBeNull()
  })

  it('say what they are where there is none', async () => {
    show(<Connections />, { ...at, answers: { connections: [] } })
    expect(await screen.findByText(/A connection is a way to reach a database/)).toBeTruthy()
  })
})
