import { useCallback, useEffect, useRef, useState } from 'react'
import useSWR from 'swr'
import type { ApiFault } from './api'

const size = 100

interface Page<T> {
  total: number
  rows: T[]
}

/** Pages that follow one another, fetched together. */
interface Span<T> {
  from: number
  pages: Page<T>[]
}

interface Kept<T> {
  key: string | null
  pages: Map<number, T[]>
  total: number | undefined
  taken: Span<T> | undefined
}
const nothingKept = <T>(key: string | null): Kept<T> => ({
  key,
  pages: new Map(),
  total: undefined,
  taken: undefined,
})

/**
 * A long list fetched by pages of 100 as it is scrolled. `key` names the list (a change empties it); fetched again
 * with every change of an SWR key that begins with it.
 */
export function usePages<T>(
  key: string | null,
  fetchPage: (offset: number, limit: number) => Promise<Page<T>>,
) {
  const [seen, setSeen] = useState({ from: 0, to: 0 })
  const kept = useRef<Kept<T>>(nothingKept(null))
  if (kept.current.key !== key) kept.current = nothingKept(key)
  useEffect(() => setSeen({ from: 0, to: 0 }), [key])
  const answer = useSWR<Span<T>, ApiFault>(key && `${key}#${seen.from}-${seen.to}`, async () => {
    const wanted = Array.from({ length: seen.to - seen.from + 1 }, (_, i) => seen.from + i)
    const pages = await Promise.all(wanted.map((page) => fetchPage(page * size, size)))
    return { from: seen.from, pages }
  })
  // taken from the answer, not while fetching: a list come back to is answered from what was fetched before
  const { data } = answer
  if (data && kept.current.taken !== data) {
    kept.current.taken = data
    data.pages.forEach(({ rows, total }, i) => {
      kept.current.pages.set(data.from + i, rows)
      kept.current.total = total
    })
  }
  const onSeen = useCallback((first: number, last: number) => {
    const next = { from: Math.floor(first / size), to: Math.floor(last / size) }
    setSeen((now) => (now.from === next.from && now.to === next.to ? now : next))
  }, [])
  const row = useCallback(
    (index: number): T | undefined => kept.current.pages.get(Math.floor(index / size))?.[index % size],
    [],
  )
  // while further pages come, the number stays the one known before
  const total = data?.pages[0]?.total ?? kept.current.total
  return { total, row, onSeen, error: answer.error, refresh: answer.mutate }
}
