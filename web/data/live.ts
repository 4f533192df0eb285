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

/** Fetches again what the pages show of runs whenever one changes. One for the whole page. */
export function useFreshRuns(): void {
  const { mutate } = useSWRConfig()
  useEffect(() => {
    open()
    let due: ReturnType<typeof setTimeout> | undefined
    const listener: Listener = () => {
      due ??= setTimeout(() => {
        due = undefined
        void mutate(
          (key) =>
            typeof key === 'string' &&
            /^\/api\/(now|morning|starts|runs|tries|kept|jobs\/[^/]+\/tries)/.test(key),
        )
      }, 400)
    }
    listeners.add(listener)
    return () => {
      listeners.delete(listener)
      clearTimeout(due)
    }
  }, [mutate])
}
