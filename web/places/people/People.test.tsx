import { screen, within } from '@testing-library/react'
import { describe, expect, it } from 'vitest'
import { fault, show, type Answers } from '../../testing/page'
import People from './People'
import { agentText } from './words'

const person = (more: object = {}) => ({ id: 2, email: 'ben@test.example', name: 'Ben', role: 'engineer' as const, environments: {}, createdAt: '2026-11-01T08:00:00.000Z', seenAt: '2026-11-24T08:00:00.000Z', signIns: 1, tokens: 0, own: false, ...more }) // prettier-ignore
const signIn = (more: object = {}) => ({ handle: '0123456789abcdef', agent: 'Mozilla/5.0 (X11; Linux x86_64) Gecko/20100101 Firefox/140.0', createdAt: '2026-11-20T08:00:00.000Z', seenAt: '2026-11-24T08:00:00.000Z', expiresAt: '2026-12-04T08:00:00.000Z', own: false, ...more }) // prettier-ignore
const answers = (more: Answers = {}): Answers => ({
  people: [
    person({ id: 1, name: 'Ana', role: 'keeper', own: true }),
    person({ environments: { live: 'reader' } }),
  ],
  signIns: [signIn({ own: true }), signIn({ handle: 'fedcba9876543210', agent: '' })],
  tokens: [],
  ...more,
})

describe('people', () => {
  it('are listed to who runs the house, with what they may do, and where that is something else', async () => {
    const page = show(<People />, { answers: answers() })
    expect(await screen.findByText('Ben')).toBeTruthy()
    expect(page.text()).toContain('looks, runs and builds; reader in live')
    expect(page.text()).toContain('Ana (you)')
  })

  it('are none of others’ business: they see where they are signed in themselves', async () => {
    const page = show(<People />, {
      role: 'engineer',
      answers: answers({ people: fault('forbidden', 'no') }),
    })
    expect(await screen.findByText('this one')).toBeTruthy()
    expect(page.asked.some(({ route }) => route === 'people')).toBe(false)
    expect(screen.queryByRole('button', { name: 'Invite somebody' })).toBe(null)
  })

  it('are changed, everywhere and in one environment, and that can be undone', async () => {
    const page = show(<People />, { answers: answers({ changePerson: {} }) })
    await page.user.click(await screen.findByText('Ben'))
    await page.user.keyboard('{Enter}')
    const dialog = await screen.findByRole('dialog')
    await page.user.click(within(dialog).getByLabelText('Is'))
    await page.user.click(await screen.findByRole('option', { name: /^operator/ }))
    await page.user.click(within(dialog).getByLabelText('In dev'))
    await page.user.click(await screen.findByRole('option', { name: /^engineer/ }))
    await page.user.click(within(dialog).getByRole('button', { name: 'Save' }))
    expect(page.bodies('changePerson')).toEqual([
      { role: 'operator', environments: { live: 'reader', dev: 'engineer' } },
    ])
    await page.user.click(await screen.findByRole('button', { name: 'Undo' }))
    expect(page.bodies('changePerson')[1]).toEqual({ role: 'engineer', environments: { live: 'reader' } })
  })

  it('are removed after a question, and what stands in the way is said there', async () => {
    const page = show(<People />, {
      answers: answers({ removePerson: fault('conflict', 'one account that runs the house must stay') }),
    })
    await page.user.click(await screen.findByText('Ben'))
    await page.user.keyboard('{Enter}')
    await page.user.click(within(await screen.findByRole('dialog')).getByRole('button', { name: 'Remove' }))
    await page.user.click(await screen.findByRole('button', { name: 'Remove' }))
    expect(await screen.findByText('one account that runs the house must stay')).toBeTruthy()
  })

  it('are invited by an address that is shown once', async () => {
    const page = show(<People />, { answers: answers({ invitePerson: { code: 'once-only' } }) })
    await page.user.click(await screen.findByRole('button', { name: 'Invite somebody' }))
    await page.user.click(await screen.findByRole('button', { name: 'Make an address' }))
    const shown = await screen.findByLabelText<HTMLTextAreaElement>('shown once')
    expect(shown.value).toMatch(/\/first#once-only$/)
    expect(page.bodies('invitePerson')).toEqual([{ role: 'engineer' }])
  })
})

describe('my doors', () => {
  it('are ended, but for the one I came in by', async () => {
    const page = show(<People />, { role: 'reader', answers: answers({ endSignIn: {} }) })
    expect(await screen.findAllByRole('button', { name: 'End' })).toHaveLength(1)
    await page.user.click(screen.getByRole('button', { name: 'End' }))
    expect(page.asked.find(({ route }) => route === 'endSignIn')!.params).toEqual({
      handle: 'fedcba9876543210',
    })
  })

  it('are made for scripts, for no more than I may, and told once', async () => {
    const page = show(<People />, {
      role: 'operator',
      answers: answers({ makeToken: { token: 'mtk_once' } }),
    })
    await page.user.click(await screen.findByRole('button', { name: 'Make one' }))
    const dialog = await screen.findByRole('dialog')
    await page.user.type(within(dialog).getByLabelText(/What it is for/), 'nightly')
    await page.user.click(within(dialog).getByLabelText('It is for'))
    expect((await screen.findAllByRole('option')).map(({ textContent }) => textContent)).toEqual([
      'looking',
      'looking and running',
    ])
    await page.user.click(screen.getByRole('option', { name: 'looking and running' }))
    await page.user.click(within(dialog).getByRole('button', { name: 'Make it' }))
    expect(page.bodies('makeToken')).toEqual([{ name: 'nightly', atMost: 'run', days: 90 }])
    expect((await screen.findByLabelText<HTMLTextAreaElement>('shown once')).value).toBe('mtk_once')
  })
})

describe('a browser', () => {
  it.each([
    [
      'Mozilla/5.0 (X11; Linux x86_64) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/130.0.0.0 Safari/537.36',
      'Chromium on Linux',
    ],
    [
      'Mozilla/5.0 (Macintosh; Intel Mac OS X 10_15) AppleWebKit/605 (KHTML, like Gecko) Version/17 Safari/605',
      'Safari on macOS',
    ],
    ['Mozilla/5.0 (Windows NT 10.0) Gecko/20100101 Firefox/140.0', 'Firefox on Windows'],
    ['curl/8.0', 'curl/8.0'],
    ['', 'an unknown browser'],
  ])('%s is %s', (agent, words) => expect(agentText(agent)).toBe(words))
})
