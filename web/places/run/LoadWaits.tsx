import type { ReactElement } from 'react'
import { Link } from 'react-router'
import type { Answer } from '../../../contract/route'
import { routes } from '../../../contract/routes'
import { useAnswer } from '../../data/api'
import { FaultBox } from '../../kit/Fault'
import { bytesText, count, timeText } from '../../look/times'

type Need = Answer<typeof routes.loadWaits>['needs'][number]

/** Needs that are told one by one. */
const told = 8

/** What a load waits for, one by one: since when, how it stands there, and when it is usually there. */
export function LoadWaits({ run, load }: { readonly run: number; readonly load: number }): ReactElement {
  const { data, error } = useAnswer(
    routes.loadWaits,
    { params: { id: run, load } },
    { refreshInterval: 5000 },
  )
  if (error && !data) return <FaultBox error={error} />
  if (!data) return <span className="soft">…</span>
  const open = data.needs.filter(({ met }) => met === null)
  const met = data.needs.length - open.length
  return (
    <section aria-label="what it waits for">
      <span className="soft">
        since {timeText(data.since)}
        {data.givesUpAt !== null && !data.gaveUp && `, until ${timeText(data.givesUpAt)} at most`}
        {met > 0 && ` · ${met} of ${count(data.needs.length, 'thing')} ${met === 1 ? 'is' : 'are'} there`}
      </span>
      <ul style={{ margin: 0, paddingLeft: 16 }}>
        {open.slice(0, told).map((need, at) => (
          <li key={at}>
            <NeedLine need={need} />
          </li>
        ))}
        {open.length > told && <li className="soft">and {open.length - told} more</li>}
      </ul>
      <p className="soft" style={{ margin: '4px 0 0' }}>
        Pick it in the list to let it go now, with your reason, or to set it aside.
      </p>
    </section>
  )
}

function NeedLine({ need }: { readonly need: Need }): ReactElement {
  const {
    kind,
    job,
    title,
    label,
    row,
    loads,
    run,
    usual,
    step,
    dataset,
    after,
    store,
    pattern,
    marker,
    seen,
  } = need
  if (kind === 'run')
    return (
      <>
        <Link to={`/runs/${run}`}>run {run}</Link>, which must be done before
      </>
    )
  if (kind === 'slice' || step !== null)
    return (
      <>
        {step !== null && (
          <>
            the step <span className="mono">{step}</span> in{' '}
          </>
        )}
        {label} of <Link to={`/coverage?job=${job}`}>{title ?? job}</Link>
        {row !== null && `, ${row}`}:{' '}
        {run === null ? 'no run has taken it up' : <Link to={`/runs/${run}`}>{standing(loads, run)}</Link>}
        {usual !== null && <span className="soft"> · usually there by {timeText(usual)}</span>}
      </>
    )
  if (kind === 'refresh')
    return (
      <>
        a refresh of <span className="mono">{dataset}</span> after {timeText(after!)}
      </>
    )
  return (
    <>
      <span className="mono">{pattern}</span> in {store}
      {marker !== null && `, with its ${marker}`}:{' '}
      {seen.length === 0
        ? 'has not come'
        : `${seen[0]!.path} is there, ${bytesText(seen[0]!.size)}, and not whole yet`}
    </>
  )
}

function standing(loads: Need['loads'], run: number): string {
  if (loads === null) return `run ${run}`
  if (loads.underWay > 0) return `run ${run} is at it, ${count(loads.underWay, 'load')} to go`
  if (loads.failed > 0) return `${count(loads.failed, 'load')} failed in run ${run}`
  return `run ${run} did only a part of it`
}
