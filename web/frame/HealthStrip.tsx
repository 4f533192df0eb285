import type { ReactElement } from 'react'
import { healthWords } from '../../core/health'
import { useHealth } from '../data/health'
import { clock } from '../look/times'

/** On every page while something that Mattock needs is away: what, since when and why. Goes by itself. */
export function HealthStrip(): ReactElement | null {
  const { health, gone } = useHealth()
  const words = gone
    ? [`Mattock does not answer since ${clock(gone)}; this page asks again by itself`]
    : health
      ? healthWords(health, clock)
      : []
  if (words.length === 0) return null
  return (
    <div className="health" role="alert">
      {words.map((line) => (
        <span key={line}>{line}</span>
      ))}
      <span className="soft">what is kept stays; pages go on when it is back</span>
    </div>
  )
}
