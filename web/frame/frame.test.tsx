import { screen, waitFor } from '@testing-library/react'
import { describe, expect, it, vi } from 'vitest'
import type { Answer } from '../../contract/route'
import type { routes } from '../../contract/routes'
import { invitationIn } from '../data/invitation'
import FirstAccount from '../places/FirstAccount'
import { SignIn } from '../places/SignIn'
import { belongsTo, places, rooms } from '../places'
import { connection } from '../testing/answers'
import { fault, show, type Answers } from '../testing/page'
import GoTo from './GoTo'

const session = (more: object = {}): Answer<typeof routes.session> => ({
  account: null,
  environments: [],
  start: '',
  tables: {},
  organisation: 'Ostrel Basin Water',
  demo: [],
  ...more,
})

describe('places', () => {
  it('have an address each, and no two the same', () => {
    const paths = places.map(({ path }) => path)
    expect(new Set(paths).size).toBe(paths.length)
  })

  it('can all be loaded, and each gives a page', async () => {
    for (const { path, load } of places)
      expect([path, typeof (await load()).default]).toEqual([path, 'function'])
  })

  it('mark the one that a page belongs to, and only that', () => {
    const marked = (page: string) =>
      rooms.flatMap(([, list]) => list.filter((place) => belongsTo(place, page)).map(({ name }) => name))
    expect(marked('/')).toEqual(['Morning sheet'])
    expect(marked('/runs/7')).toEqual(['Ledger'])
    expect(marked('/plans/70')).toEqual(['Jobs'])
    expect(marked('/jobs-in')).toEqual(['Jobs'])
    expect(marked('/surveys/3')).toEqual(['Catalog'])
    expect(marked('/controlled')).toEqual([])
  })
})

describe('a page that breaks while it is drawn', () => {
  it('says so in its place, with how to go on', () => {
    // what broke is told to the console by React, too
    const told = vi.spyOn(console, 'error').mockImplementation(() => {})
    const Breaks = (): never => {
      throw new Error('no such thing')
    }
    show(<Breaks />)
    expect(screen.getByRole('alert').textContent).toMatch(
      /could not be drawn: no such thing.*other pages still work/,
    )
    expect(screen.getByRole('button', { name: 'Open it anew' })).toBeTruthy()
    told.mockRestore()
  })
})

describe('going to anything', () => {
  const answers = (more: Answers = {}): Answers => ({
    jobs: [{ name: 'gauge-readings', title: 'Gauge readings', tags: [], version: 1, runsIn: [], savedAt: '2026-11-20T10:00:00.000Z', savedBy: 'Ana', slices: null, rosters: [], steps: 1, lastRun: null }],
    controlTables: [{ name: 'feed_control', title: 'Feeds', where: '', rows: 3, jobs: [], changedAt: null, changedBy: null }],
    connections: [connection()],
    datasets: { total: 0, datasets: [] },
    ...more,
  }) // prettier-ignore
  const found = () => screen.queryAllByRole('option').map(({ textContent }) => textContent)

  it('finds by a few letters, whatever it is, and says what', async () => {
    const page = show(<GoTo onClose={() => {}} />, { answers: answers() })
    await page.user.keyboard('read')
    expect(await screen.findByText('Gauge readings')).toBeTruthy()
    expect(found()).toEqual(['Gauge readings gauge-readingsjob'])
    await page.user.clear(screen.getByRole('combobox'))
    await page.user.keyboard('kept')
    expect(found()).toEqual(['What is kept place'])
  })

  it('goes to a run by its number, with Enter', async () => {
    const closed = vi.fn()
    const page = show(<GoTo onClose={closed} />, { answers: answers() })
    await page.user.keyboard('4711')
    expect(found()[0]).toBe('run 4711 run')
    await page.user.keyboard('{Enter}')
    expect(page.address()).toBe('/runs/4711')
    expect(closed).toHaveBeenCalled()
  })

  it('goes to the one that the arrows chose', async () => {
    const page = show(<GoTo onClose={() => {}} />, { answers: answers() })
    await page.user.keyboard('con')
    await screen.findByText('Control tables')
    const names = found()
    expect(names.length).toBeGreaterThan(1)
    await page.user.keyboard('{ArrowDown}{Enter}')
    expect(page.address()).not.toBe('/')
  })

  it('asks the server for datasets from the second letter on', async () => {
    const page = show(<GoTo onClose={() => {}} />, { answers: answers() })
    await page.user.keyboard('f')
    expect(page.asked.filter(({ route }) => route === 'datasets')).toEqual([])
    await page.user.keyboard('lo')
    await waitFor(() =>
      expect(page.asked.some(({ route, query }) => route === 'datasets' && query.search === 'flo')).toBe(
        true,
      ),
    )
  })

  it('says that nothing is called that', async () => {
    const page = show(<GoTo onClose={() => {}} />, { answers: answers() })
    await page.user.keyboard('zzzz')
    expect(await screen.findByText('nothing is called that')).toBeTruthy()
  })
})

describe('signing in', () => {
  it('gives what was typed, and the session on', async () => {
    const signed = vi.fn()
    const page = show(<SignIn session={session()} onSignedIn={signed} />, {
      answers: {
        signIn: session({
          account: { email: 'ana@test.example', name: 'Ana', role: 'engineer', environments: {} },
        }),
      },
    })
    await page.user.type(screen.getByLabelText(/Email/), 'ana@test.example')
    await page.user.type(screen.getByLabelText(/Password/), 'secret words{Enter}')
    expect(page.bodies('signIn')).toEqual([{ email: 'ana@test.example', password: 'secret words' }])
    await waitFor(() => expect(signed).toHaveBeenCalledTimes(1))
  })

  it('says why not, and keeps the address', async () => {
    const page = show(<SignIn session={session()} onSignedIn={() => {}} />, {
      answers: { signIn: fault('signed-out', 'no account has this address and password') },
    })
    await page.user.type(screen.getByLabelText(/Email/), 'ana@test.example')
    await page.user.type(screen.getByLabelText(/Password/), 'x{Enter}')
    expect(await screen.findByText(/no account has this address and password/)).toBeTruthy()
    expect(screen.getByLabelText(/Email/)).toHaveProperty('value', 'ana@test.example')
  })

  it('offers the accounts of a demo, and none elsewhere', async () => {
    const demo = [{ email: 'guest@test.example', password: 'only-looking', role: 'reader' }]
    const page = show(<SignIn session={session({ demo })} onSignedIn={() => {}} />, {
      answers: { signIn: session() },
    })
    await page.user.click(screen.getByRole('button', { name: 'Enter as reader' }))
    expect(page.bodies('signIn')).toEqual([
      { email: 'guest@test.example', password: 'only-looking', role: 'reader' },
    ])
    show(<SignIn session={session()} onSignedIn={() => {}} />)
    expect(screen.queryByText('Accounts of this demo')).toBeNull()
  })
})

describe('the first account', () => {
  it('is made at its own address only; the code stands where no server sees it', () => {
    expect(invitationIn({ pathname: '/first', hash: '#abc' })).toBe('abc')
    expect(invitationIn({ pathname: '/first', hash: '' })).toBeUndefined()
    expect(invitationIn({ pathname: '/', hash: '#abc' })).toBeUndefined()
  })

  const fill = async (page: ReturnType<typeof show>, password: string) => {
    await page.user.type(screen.getByLabelText('Email'), 'ana@test.example')
    await page.user.type(screen.getByLabelText('Name'), 'Ana')
    await page.user.type(screen.getByLabelText('Password'), password)
    await page.user.click(screen.getByRole('button', { name: 'Make the account' }))
  }

  it('is made, and signs in', async () => {
    const signed = vi.fn()
    const page = show(<FirstAccount code="abc" session={session()} onSignedIn={signed} />, {
      before: true,
      answers: { invitation: session() },
    })
    await fill(page, 'ten letters and more')
    expect(page.bodies('invitation')).toEqual([
      { code: 'abc', email: 'ana@test.example', name: 'Ana', password: 'ten letters and more' },
    ])
    await waitFor(() => expect(signed).toHaveBeenCalledTimes(1))
  })

  it('wants a password of some length, and hides it', async () => {
    const page = show(<FirstAccount code="abc" session={session()} onSignedIn={() => {}} />, {
      before: true,
    })
    await fill(page, 'short')
    expect((await screen.findAllByText('ten letters at least')).length).toBeGreaterThan(0)
    expect(screen.getByLabelText('Password').getAttribute('type')).toBe('password')
    expect(page.bodies('invitation')).toEqual([])
  })

  it('says where the address holds no more', async () => {
    const page = show(<FirstAccount code="abc" session={session()} onSignedIn={() => {}} />, {
      before: true,
      answers: { invitation: fault('invitation', 'this address has been used, or is too old') },
    })
    await fill(page, 'ten letters and more')
    expect(await screen.findByText(/this address has been used/)).toBeTruthy()
  })
})
