import { useCallback } from 'react'
import { useSearchParams } from 'react-router'

/** A whole number that an address says, from `-most` to `most`; 0 where it says none. */
export function stepIn(search: URLSearchParams, name: string, most: number): number {
  const said = Number(search.get(name) ?? 0)
  return Number.isInteger(said) && Math.abs(said) <= most ? said : 0
}

/** What the address of a page says, and setting a word of it; an empty one is taken away. Going back leaves the page. */
export function useAddress(): readonly [URLSearchParams, (name: string, value: string) => void] {
  const [search, setSearch] = useSearchParams()
  const set = useCallback(
    (name: string, value: string) =>
      setSearch(
        (before) => {
          const next = new URLSearchParams(before)
          if (value === '') next.delete(name)
          else next.set(name, value)
          return next
        },
        { replace: true },
      ),
    [setSearch],
  )
  return [search, set]
}
