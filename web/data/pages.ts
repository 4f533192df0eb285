import { useCallback, useEffect, useRef, useState } from 'react'
import useSWR from 'swr'
import type { ApiFault } from './api'

const size = 100

interface Page<T> {
  total: number
  rows: T[]
}

/**
 * A long list fetched by pages of 100 as it is scrolled. `key` names the list (a change empties it); fetched again
 * with every change of an SWR key that begins with it.
 */
export function usePages<T>(
  key: string | null,
  fetchPage: (offset: number, limit: number) => Promise<Page<T>>,
) {
  const [seen, setSeen] = useState({ from: 0, to: 0 })
  const kept = useRef<{ key: string | null; pages: Map<number, T[]>; total: number | undefined }>({
    key: null,
    pages: new Map(),
    total: undefined,
  })
  if (kept.current.key !== key) kept.current = { key, pages: new Map(), total: undefined }
  useEffect(() => setSeen({ from: 0, to: 0 }), [key])
  const answer = useSWR<Page<T>[], ApiFault>(key && `${key}#${seen.from}-${seen.to}`, async () => {
    const pages = Array.from({ length: seen.to - seen.from + 1 }, (_, i) => seen.from + i)
    const fetched = await Promise.all(pages.map((page) => fetchPage(page * size, size)))
    fetched.forEach(({ rows, total }, i) => {
      kept.current.pages.set(pages[i]!, rows)
      kept.current.total = total
    })
    return fetched
  })
  const onSeen = useCallback((first: number, last: number) => {
    const next = { from: Math.floor(first / size), to: Math.floor(last / size) }
    setSeen((now) => (now.from === next.from && now.to === next.to ? now : next))
  }, [])
  const row = useCallback(
    (index: number): T | undefined => kept.current.pages.get(Math.floor(index / size))?.[index % size],
    [],
  )
  // while further pages come, the number stays the one known before
  const total = answer.data?.[0]?.total ?? kept.current.total
  return { total, row, onSeen, error: answer.error, refresh: answer.mutate }
}
