import { useCallback, useState } from 'react'

/** A setting of a page that this browser keeps, such as the widths of a table's columns. */
export function useRemembered<T>(name: string, usual: T): readonly [T, (next: T) => void] {
  const key = `mattock.${name}`
  const [value, setValue] = useState<T>(() => {
    try {
      const kept = localStorage.getItem(key)
      return kept === null ? usual : (JSON.parse(kept) as T)
    } catch {
      // what cannot be read any more holds as not set
      return usual
    }
  })
  const set = useCallback(
    (next: T) => {
      setValue(next)
      localStorage.setItem(key, JSON.stringify(next))
    },
    [key],
  )
  return [value, set]
}
