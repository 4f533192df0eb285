import { act, cleanup, render, screen } from '@testing-library/react'
import { SWRConfig } from 'swr'
import { afterEach, describe, expect, it, vi } from 'vitest'
import type { Health } from '../../contract/health'
import { healthWords } from '../../core/health'
import { HealthStrip } from './HealthStrip'

const well: Health = {
  ok: true,
  words: [],
  database: { ok: true, since: null, reason: null },
  workers: { ok: true, since: null, alive: 2 },
  disk: { ok: true, since: null, free: 10 ** 10 },
}
const at = '2026-11-24T18:04:00.000Z'
afterEach(() => void vi.unstubAllGlobals())

/** Shows the strip while the server says this. */
const shown = (answer: () => Promise<unknown>) => {
  vi.stubGlobal('fetch', () => answer().then((body) => ({ json: () => Promise.resolve(body) })))
  cleanup()
  render(
    <SWRConfig value={{ provider: () => new Map() }}>
      <HealthStrip />
    </SWRConfig>,
  )
}

describe('what is wrong with Mattock', () => {
  it('is said on the page, with since when and why', async () => {
    shown(() =>
      Promise.resolve({
        ...well,
        ok: false,
        database: { ok: false, since: at, reason: 'no space left on its disk' },
      }),
    )
    expect((await screen.findByRole('alert')).textContent).toMatch(
      /the database is away since \d\d:\d\d: no space left on its disk/,
    )
  })

  it('is said where it does not answer at all', async () => {
    shown(() => Promise.reject(new TypeError('Failed to fetch')))
    expect((await screen.findByRole('alert')).textContent).toMatch(/Mattock does not answer since \d\d:\d\d/)
  })

  it('is nothing where all is well', async () => {
    shown(() => Promise.resolve(well))
    await act(() => new Promise((resolve) => setTimeout(resolve, 50)))
    expect(document.body.textContent).toBe('')
  })

  it('is all of it', () => {
    const words = healthWords(
      {
        database: { since: at, reason: 'it is starting' },
        workers: { since: at },
        disk: { since: at, free: 5 * 2 ** 20 },
      },
      () => '19:04',
    )
    expect(words).toEqual([
      'the database is away since 19:04: it is starting',
      'no worker runs since 19:04, and loads wait',
      'the disk of the data folder is full since 19:04: 5 MB are free',
    ])
  })
})
