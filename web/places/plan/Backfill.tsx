import type { ReactElement } from 'react'
import { Link } from 'react-router'
import { routes } from '../../../contract/routes'
import { useAnswer } from '../../data/api'
import { Choice, Flag } from '../../kit/controls'
import { count } from '../../look/times'
import type { PlanAnswer } from './answers'

/** How the loads of a plan of many slices are run. */
export interface Running {
  readonly order: 'oldest' | 'newest'
  /** Loads of a part at once; what the job says where it is undefined. */
  readonly atOnce: number | undefined
  /** Everything else goes before it. */
  readonly behind: boolean
}

/** A plan of one slice runs as its job says; one that was picked stands behind live work at first. */
export const runningOf = ({ picks }: PlanAnswer): Running => ({ order: 'oldest', atOnce: undefined, behind: picks !== null }) // prettier-ignore

/** In what order many slices are run, how many loads at once, and whether live work goes before them. */
export function RunningForm({ plan, running, onChange }: { readonly plan: PlanAnswer; readonly running: Running; readonly onChange: (running: Running) => void }): ReactElement {
  const most = Math.max(1, ...plan.parts.map(({ atOnce }) => atOnce))
  const caps = [1, 2, 4, 8, 16, 32].filter((cap) => cap < most)
  return (
    <span className="line" style={{ gap: 10, flexWrap: 'wrap' }}>
      <Choice label="which slices go first" value={running.order} options={[['oldest', 'oldest first'], ['newest', 'newest first']]} onChange={(order) => onChange({ ...running, order })} />
      <Choice
        label="loads at once"
        value={running.atOnce === undefined ? '' : String(running.atOnce)}
        options={[['', `${count(most, 'load')} at once`], ...caps.map((cap) => [String(cap), `${count(cap, 'load')} at once`] as const)]}
        onChange={(cap) => onChange({ ...running, atOnce: cap === '' ? undefined : Number(cap) })}
      />
      <Flag label="behind live work" words="behind live work" checked={running.behind} onChange={(behind) => onChange({ ...running, behind })} />
    </span>
  )
} // prettier-ignore

/** The plans that are run after this one, one after the other. */
export function ThenPlans({ plans }: { readonly plans: readonly number[] }): ReactElement {
  return (
    <div className="line" style={{ flexWrap: 'wrap', gap: 6 }} role="status">
      <b>then, one after the other, each when the one before is done:</b>
      {plans.map((id) => (
        <ThenPlan key={id} id={id} />
      ))}
    </div>
  )
}

function ThenPlan({ id }: { readonly id: number }): ReactElement {
  const { data, error } = useAnswer(routes.plan, { params: { id } })
  if (error) return <span className="bad">plan {id}: {error.message}</span>
  if (!data) return <span className="soft">plan {id} …</span>
  return (
    <span>
      <Link to={`/plans/${id}`}>{data.title}, plan {id}</Link> ({count(data.loads - data.left, 'load')})
      {data.stops > 0 && <span className="bad"> {count(data.stops, 'finding stops it', 'findings stop it')}</span>}
    </span>
  )
} // prettier-ignore
