import { useState } from 'react'

/**
 * The time by the clock that starts go by, which may not be ours, to within so many milliseconds. What it is told goes on
 * with it; an answer that is older than one before, as those that are kept are, does not.
 */
export function useTimeOf(grain: number): [time: number, tell: (at: string | undefined) => void] {
  const [time, setTime] = useState(() => Date.now())
  const [newest, setNewest] = useState(0)
  const tell = (at: string | undefined) => {
    const told = at === undefined ? NaN : Date.parse(at)
    if (!(told > newest)) return
    setNewest(told)
    if (Math.abs(told - time) > grain) setTime(told)
  }
  return [time, tell]
}
