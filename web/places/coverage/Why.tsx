import type { ReactElement } from 'react'
import { Link } from 'react-router'
import type { Answer } from '../../../contract/route'
import { routes } from '../../../contract/routes'
import { useAnswer } from '../../data/api'
import { FaultBox } from '../../kit/Fault'
import { timeText } from '../../look/times'

type Reason = Answer<typeof routes.whySlice>['reasons'][number]

interface Props {
  readonly environment: string
  readonly job: string
  readonly part: string
  readonly row: string
  readonly span: { readonly from: string; readonly to: string; readonly label: string }
}

/** Why a slice did not run: the chain of reasons, each a link to where it can be looked into. */
export function Why({ environment, job, part, row, span }: Props): ReactElement {
  const { data, error } = useAnswer(
    routes.whySlice,
    { query: { environment, job, part, row, ...span } },
    { keepPreviousData: true, refreshInterval: 10_000 },
  )
  if (error && !data) return <FaultBox error={error} />
  return (
    <div style={{ padding: '0 12px 8px' }}>
      <h2 style={{ margin: '0 0 2px' }}>Why</h2>
      {data ? <Reasons reasons={data.reasons} /> : <span className="soft">looking …</span>}
    </div>
  )
}

function Reasons({ reasons }: { readonly reasons: readonly Reason[] }): ReactElement {
  return (
    <ul style={{ margin: 0, paddingLeft: 16 }}>
      {reasons.map((reason, at) => (
        <li key={at}>
          <ReasonLine reason={reason} />
          {reason.because.length > 0 && <Reasons reasons={reason.because} />}
        </li>
      ))}
    </ul>
  )
}

function ReasonLine({ reason: { text, run, load, plan, job, when } }: { readonly reason: Reason }): ReactElement {
  const to =
    run !== null
      ? `/runs/${run}${load === null ? '' : `?load=${load}`}`
      : plan !== null
        ? `/plans/${plan}`
        : job !== null
          ? `/jobs/${job}`
          : null
  return (
    <>
      {to === null ? text : <Link to={to}>{text}</Link>}
      {when && (
        <span className="soft">
          {' '}
          · {when.is === 'at' ? '' : `${when.is} `}
          {timeText(when.at)}
        </span>
      )}
    </>
  )
} // prettier-ignore
