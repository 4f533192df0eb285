import { act, render, screen } from '@testing-library/react'
import useSWR, { SWRConfig } from 'swr'
import { afterEach, beforeEach, expect, it, vi } from 'vitest'
import { useFreshRuns } from './live'

class Source {
  static all: Source[] = []
  onmessage: ((event: { data: string }) => void) | undefined
  constructor() {
    Source.all.push(this)
  }
}
beforeEach(() => {
  vi.useFakeTimers()
  vi.stubGlobal('EventSource', Source)
})
afterEach(() => {
  vi.useRealTimers()
  vi.unstubAllGlobals()
})

it('lets an answer that takes long come, however often runs change meanwhile, and asks again then', async () => {
  let asked = 0
  const answer = (takes: number) => () =>
    new Promise<number>((resolve) => setTimeout(resolve, takes, ++asked))
  function Sheet() {
    useFreshRuns()
    const { data } = useSWR('/api/morning?environment=dev', answer(4000), { dedupingInterval: 0 })
    return <p>answer {data ?? 'none'}</p>
  }
  render(
    <SWRConfig value={{ provider: () => new Map() }}>
      <Sheet />
    </SWRConfig>,
  )
  // a run changes each half second, for six seconds
  for (let i = 0; i < 12; i++) {
    act(() => Source.all[0]!.onmessage!({ data: '{"runs":[1]}' }))
    await act(() => vi.advanceTimersByTimeAsync(500))
  }
  expect(screen.getByText('answer 1')).toBeTruthy()
  expect(asked).toBe(2)
  // then nothing changes any more: what was asked last comes, and nobody asks for ever
  await act(() => vi.advanceTimersByTimeAsync(20_000))
  expect(screen.getByText(`answer ${asked}`)).toBeTruthy()
  expect(asked).toBeLessThanOrEqual(3)
})
