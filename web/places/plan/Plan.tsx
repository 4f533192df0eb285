import { Views } from '../../kit/Views'
import type { PlanAnswer } from './answers'
import { Button, Dialog, DialogActions, DialogContent, DialogTitle } from '@mui/material'
import { useCallback, useMemo, useState, type ReactElement } from 'react'
import { Link, useNavigate, useParams, useSearchParams } from 'react-router'
import { routes } from '../../../contract/routes'
import { call, useAnswer } from '../../data/api'
import { useHere, useMay } from '../../data/session'
import { count, lengthText, timeText } from '../../look/times'
import { FaultBox, Waiting } from '../../kit/Fault'
import { useKeys } from '../../kit/keys'
import { useStarting } from '../../kit/Starting'
import { RunningForm, runningOf, ThenPlans } from './Backfill'
import { sentence } from './columns'
import { Compared } from './Compared'
import { Findings } from './Findings'
import { Forecasts } from './Forecasts'
import { Loads } from './Loads'
import { TakeOut } from './TakeOut'

const views = ['loads', 'compared', 'forecast'] as const

/** Every load of a job before it runs: what differs between them, what is found, what to leave out. */
export default function Plan(): ReactElement {
  const id = Number(useParams().id)
  const { data, error, mutate } = useAnswer(routes.plan, { params: { id } }, { keepPreviousData: true })
  if (error && !data) return <FaultBox error={error} />
  if (!data || data.id !== id) return <Waiting what={`opening plan ${id}`} />
  return <PlanSheet plan={data} onChanged={() => void mutate()} />
}

function PlanSheet({ plan, onChanged }: { plan: PlanAnswer; onChanged: () => void }): ReactElement {
  const navigate = useNavigate()
  const mayChange = useMay('run', plan.environment)
  const { session } = useHere()
  const live = session.environments.some(({ name, live: isLive }) => name === plan.environment && isLive)
  const [code, setCode] = useState('')
  const [fault, setFault] = useState<Error>()
  const [asking, setAsking] = useState(false)
  const [search, setSearch] = useSearchParams()
  const view = views.find((name) => name === search.get('view')) ?? 'loads'
  const opened = search.has('load') ? Number(search.get('load')) : undefined
  const show = (given: { view?: string; load?: string | undefined }) =>
    setSearch(
      (now) => {
        const next = new URLSearchParams(now)
        for (const [name, value] of Object.entries(given))
          if (value === undefined) next.delete(name)
          else next.set(name, value)
        return next
      },
      { replace: true },
    )
  const each = plan.parts.filter((part) => part.each)
  const [main] = each.length > 0 ? each : plan.parts
  const toRun = plan.loads - plan.left

  const leave = useCallback(
    async (body: { numbers?: number[]; code?: string; search?: string; left: boolean }) => {
      await call(routes.leaveOut, { params: { id: plan.id }, body })
      onChanged()
    },
    [plan.id, onChanged],
  )
  const thenText = search.get('then') ?? ''
  const then = useMemo(
    () => thenText.split(',').flatMap((id) => (/^\d+$/.test(id) ? [Number(id)] : [])),
    [thenText],
  )
  const [running, setRunning] = useState(() => runningOf(plan))
  const manySlices = plan.picks !== null || plan.parts.some(({ slices }) => slices > 1)
  const starting = useStarting(
    useCallback(
      (pressing) =>
        call(routes.startRun, {
          body: {
            plan: plan.id,
            ...(manySlices ? running : {}),
            ...(then.length > 0 ? { then } : {}),
            ...pressing,
          },
        }),
      [plan.id, running, manySlices, then],
    ),
  )
  const run = () => {
    setAsking(false)
    starting.begin()
  }
  const again = useCallback(() => {
    call(routes.makePlan, {
      body: {
        job: plan.job,
        environment: plan.environment,
        parameters: plan.parameters,
        only: plan.only ?? undefined,
        ...(plan.picks ? { picks: plan.picks } : { span: plan.span ?? undefined }),
      },
    }).then(({ id }) => navigate(`/plans/${id}`), setFault)
  }, [plan, navigate])
  useKeys(useMemo(() => ({ p: again }), [again]))
  const can = mayChange && plan.stops === 0 && toRun > 0

  return (
    <div className="stack grow">
      <div>
        <div className="head" style={{ marginBottom: 0 }}>
          <h1>
            {plan.title}, plan {plan.id}
          </h1>
          <Link className="tag" to={`/jobs/${plan.job}?version=${plan.version}`}>
            version {plan.version}
          </Link>
          <div className="actions">
            <Button onClick={again} title="p">
              Plan again
            </Button>
            {mayChange && (
              <Button
                variant="contained"
                color="primary"
                disabled={!can}
                onClick={() => (live ? setAsking(true) : run())}
              >
                Run {count(toRun, 'load')}
                {then.length > 0 && ` + ${count(then.length, 'job')}`}
              </Button>
            )}
          </div>
        </div>
        <p className="soft" style={{ margin: 0 }}>
          {main && sentence(plan, main)} · worked out {timeText(plan.createdAt)} by {plan.by}
          {plan.forecast &&
            ` · will take some ${lengthText(plan.forecast.seconds)} (${lengthText(plan.forecast.low)} to ${lengthText(plan.forecast.high)})`}
        </p>
      </div>
      {mayChange && manySlices && <RunningForm plan={plan} running={running} onChange={setRunning} />}
      {then.length > 0 && <ThenPlans plans={then} />}
      {fault && <FaultBox error={fault} />}
      {starting.fault && <FaultBox error={starting.fault} />}
      {starting.asking}
      <Findings
        plan={plan}
        chosen={code}
        onChoose={(next) => setCode(next === code ? '' : next)}
        onLeave={
          mayChange ? (finding) => void leave({ code: finding, left: true }).catch(setFault) : undefined
        }
      />
      <div className="line">
        <Views
          label="view"
          value={view}
          views={views.map((name) => [name, name === 'loads' ? count(plan.loads, 'load') : name] as const)}
          onChange={(name) => show({ view: name })}
        />
        <TakeOut plan={plan} />
      </div>
      {view === 'loads' && (
        <Loads
          plan={plan}
          code={code}
          onCode={setCode}
          mayChange={mayChange}
          opened={opened}
          onOpen={(number) => show({ load: number === opened ? undefined : String(number) })}
          leave={leave}
          onFault={setFault}
        />
      )}
      {view === 'compared' && (
        <Compared plan={plan} onOpen={(number) => show({ view: 'loads', load: String(number) })} />
      )}
      {view === 'forecast' && <Forecasts plan={plan} />}
      <Dialog open={asking} onClose={() => setAsking(false)} aria-labelledby="ask-title">
        <DialogTitle id="ask-title">
          Run {count(toRun, 'load')} in {plan.environment}?
        </DialogTitle>
        <DialogContent>
          {plan.title} writes into the {plan.environment} systems.{' '}
          {plan.left > 0 && `${count(plan.left, 'load')} left out. `}A stop rolls back what has not finished.
        </DialogContent>
        <DialogActions>
          <Button onClick={() => setAsking(false)}>Leave it</Button>
          <Button variant="contained" color="primary" onClick={run} autoFocus>
            Run
          </Button>
        </DialogActions>
      </Dialog>
    </div>
  )
}
