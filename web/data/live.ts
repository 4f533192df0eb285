import { useEffect } from 'react'
import { useSWRConfig } from 'swr'

type Listener = (runs: readonly (number | undefined)[]) => void
const listeners = new Set<Listener>()
let source: EventSource | undefined

function open(): void {
  if (source) return
  source = new EventSource('/api/events')
  source.onmessage = ({ data }: MessageEvent<string>) => {
    const { runs } = JSON.parse(data) as { runs: (number | undefined)[] }
    for (const listener of listeners) listener(runs)
  }
}

const ofRuns = /^\/api\/(now|morning|starts|runs|tries|kept|jobs\/[^/]+\/tries)/

/**
 * Fetches again what the pages show of runs whenever one changes. One for the whole page. What is under way already is let
 * come first: where runs change more quickly than it is worked out, it would never be there.
 */
export function useFreshRuns(): void {
  const { mutate, cache } = useSWRConfig()
  useEffect(() => {
    open()
    let due: ReturnType<typeof setTimeout> | undefined
    const refresh = () => {
      due = undefined
      let underWay = false
      void mutate((key) => {
        if (typeof key !== 'string' || !ofRuns.test(key)) return false
        const waits = cache.get(key)?.isValidating === true
        underWay ||= waits
        return !waits
      })
      if (underWay) due = setTimeout(refresh, 1000)
    }
    const listener: Listener = () => {
      due ??= setTimeout(refresh, 400)
    }
    listeners.add(listener)
    return () => {
      listeners.delete(listener)
      clearTimeout(due)
    }
  }, [mutate, cache])
}
