import { Button } from '@mui/material'
import { useCallback, useEffect, useState, type ReactElement } from 'react'
import { Link, useNavigate } from 'react-router'
import type { Answer } from '../../../contract/route'
import { routes } from '../../../contract/routes'
import { call } from '../../data/api'
import { Flag } from '../../kit/controls'
import { FaultBox } from '../../kit/Fault'
import { useKeys } from '../../kit/keys'
import { count, numberText } from '../../look/times'
import { sliceAt, type PickedOfJob } from './lines'
import { spanWords } from './words'

type Built = Answer<typeof routes.builtOn>['jobs'][number]

export interface Planning {
  /** The job that is being planned. */
  readonly busy: string | undefined
  readonly fault: Error | undefined
  readonly plan: (picked: PickedOfJob, then: readonly Built[]) => void
}

const iso = (time: number): string => new Date(time).toISOString()

/** Plans what is picked of a job, and what was built on it, and opens the first plan. */
export function usePlanning(environment: string): Planning {
  const navigate = useNavigate()
  const [fault, setFault] = useState<Error>()
  const [busy, setBusy] = useState<string>()
  const plan = useCallback(
    async ({ job: { job }, stretches }: PickedOfJob, then: readonly Built[]) => {
      const picks = stretches.map(({ part, row, from, to }) => ({ part, row, from: iso(from), to: iso(to) }))
      const { id } = await call(routes.makePlan, { body: { job, environment, picks } })
      const later: number[] = []
      for (const one of then) {
        const body = { job: one.job, environment, ...(one.picks === null ? {} : { picks: one.picks }) }
        later.push((await call(routes.makePlan, { body })).id)
      }
      await navigate(`/plans/${id}${later.length > 0 ? `?then=${later.join(',')}` : ''}`)
    },
    [environment, navigate],
  )
  return {
    busy,
    fault,
    plan: (picked, then) => {
      setFault(undefined)
      setBusy(picked.job.job)
      plan(picked, then)
        .catch(setFault)
        .finally(() => setBusy(undefined))
    },
  }
}

/** What is picked, job by job, what was built on it, and planning both. */
export function PickedLines({ picked, planning, environment, mayRun, onClear }: {
  readonly picked: readonly PickedOfJob[]
  readonly planning: Planning
  readonly environment: string
  readonly mayRun: boolean
  readonly onClear: () => void
}): ReactElement {
  return (
    <section className="sheet" aria-label="picked" style={{ padding: '8px 12px' }}>
      {picked.map((one, at) => (
        <PickedLine key={one.job.job} first={at === 0} one={one} planning={planning} environment={environment} mayRun={mayRun} onClear={onClear} />
      ))}
      {planning.fault && <FaultBox error={planning.fault} />}
    </section>
  )
} // prettier-ignore

function PickedLine({ one, first, planning: { busy, plan }, environment, mayRun, onClear }: {
  readonly one: PickedOfJob
  /** It is the one that the key plans. */
  readonly first: boolean
  readonly planning: Planning
  readonly environment: string
  readonly mayRun: boolean
  readonly onClear: () => void
}): ReactElement {
  const built = useBuiltOn(environment, one)
  const [rebuild, setRebuild] = useState(true)
  const then = rebuild ? built : []
  const rebuilds = then.reduce((sum, { loads }) => sum + Math.max(1, loads), 0)
  const keys: Readonly<Record<string, () => void>> = first && mayRun && busy === undefined ? { p: () => plan(one, then) } : {}
  useKeys(keys)
  return (
    <div style={{ padding: '3px 0' }}>
      <div className="line">
        <b style={{ flex: 'none' }}>
          {count(one.slices, 'slice')} of {one.rows === 1 ? one.stretches[0]!.row || one.job.title : `${numberText(one.rows)} rows`} picked
        </b>
        <span className="soft cut">
          {one.job.title}, {spanOf(one)}
        </span>
        {mayRun && (
          <Button variant="contained" color="primary" disabled={busy !== undefined} onClick={() => plan(one, then)} title="p" sx={{ flex: 'none' }}>
            {busy === one.job.job ? 'planning' : `Plan ${count(one.slices, 'load')}${rebuilds > 0 ? ` + ${count(rebuilds, 'rebuild')}` : ''}`}
          </Button>
        )}
        <Button onClick={onClear} title="Esc" sx={{ flex: 'none' }}>Let go</Button>
      </div>
      {built.length > 0 && (
        <div className="line soft" style={{ flexWrap: 'wrap', gap: 6 }}>
          <Flag label="build again what was built on it" words="build again what was built on it:" checked={rebuild} onChange={setRebuild} />
          {built.map(({ job, title, loads, picks }, at) => (
            <span key={job}>
              <Link to={picks === null ? `/jobs/${job}` : `/coverage?job=${job}`}>{title}</Link> ({picks === null ? 'all of it' : count(loads, 'load')}){at < built.length - 1 ? ',' : ''}
            </span>
          ))}
        </div>
      )}
    </div>
  )
} // prettier-ignore

/** Milliseconds that a pick must rest before it is asked about. */
const rest = 250

/** What was built on what is picked; asked for when the pick has come to rest. */
function useBuiltOn(environment: string, { job: { job }, stretches }: PickedOfJob): readonly Built[] {
  const spans = JSON.stringify([...new Map(stretches.map(({ from, to }) => [`${from} ${to}`, { from: iso(from), to: iso(to) }])).values()]) // prettier-ignore
  const [built, setBuilt] = useState<{ readonly of: string; readonly jobs: readonly Built[] }>()
  const key = `${environment} ${job} ${spans}`
  useEffect(() => {
    let stale = false
    const timer = setTimeout(() => {
      const body = { environment, job, stretches: JSON.parse(spans) as { from: string; to: string }[] }
      // what was built on it comes besides: without it the pick is planned all the same
      call(routes.builtOn, { body }).then(
        ({ jobs }) => !stale && setBuilt({ of: key, jobs }),
        () => undefined,
      )
    }, rest)
    return () => {
      stale = true
      clearTimeout(timer)
    }
  }, [environment, job, spans, key])
  return built?.of === key ? built.jobs : []
}

/** From the first slice to the last, as they are called. */
function spanOf({ job, from, to }: PickedOfJob): string {
  const times = {
    from: job.slices.map((one) => Date.parse(one.from)),
    to: job.slices.map((one) => Date.parse(one.to)),
  }
  const [first, last] = [sliceAt(times, from), sliceAt(times, to - 1)]
  return first === last ? spanWords(job, first) : `${spanWords(job, first)} to ${spanWords(job, last)}`
}
