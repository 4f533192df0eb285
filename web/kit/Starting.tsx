import { useCallback, useRef, useState, type ReactElement } from 'react'
import { Link, useNavigate } from 'react-router'
import { ApiFault } from '../data/api'
import { newPress } from '../data/press'
import { Confirm } from './Confirm'

/** With what a start is asked for. */
interface Pressing {
  readonly press: string
  readonly again?: boolean
}

interface Starting {
  readonly begin: () => void
  readonly fault: Error | undefined
  /** Stands in the page; asks where it was run before. */
  readonly asking: ReactElement | null
}

/**
 * Starts a run once, however often it is pressed, and goes to it. What was run before is run again only by one who is
 * told so and chooses it.
 */
export function useStarting(start: (pressing: Pressing) => Promise<{ readonly run: number }>): Starting {
  const navigate = useNavigate()
  const press = useRef<string>(undefined)
  const [fault, setFault] = useState<Error>()
  const [before, setBefore] = useState<ApiFault>()
  const go = useCallback(
    async (again: boolean) => {
      press.current ??= newPress()
      const { run } = await start({ press: press.current, ...(again ? { again } : {}) })
      press.current = undefined
      setBefore(undefined)
      await navigate(`/runs/${run}`)
    },
    [start, navigate],
  )
  const begin = useCallback(() => {
    setFault(undefined)
    go(false).catch((error: Error) => {
      if (error instanceof ApiFault && error.fault.code === 'already-started') setBefore(error)
      else setFault(error)
    })
  }, [go])
  const run = before?.fault.where.run
  return {
    begin,
    fault,
    asking: before ? (
      <Confirm
        title="Run it once more?"
        yes="Run once more"
        onYes={() => go(true)}
        onNo={() => {
          press.current = undefined
          setBefore(undefined)
        }}
      >
        {sentence(before.message)} (<Link to={`/runs/${run}`}>look at run {run}</Link>). Loads that append
        write their rows a second time.
      </Confirm>
    ) : null,
  }
}

const sentence = (text: string): string => text.charAt(0).toUpperCase() + text.slice(1)
