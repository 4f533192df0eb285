import { LinkButton } from '../../kit/LinkButton'
import { stepDefinition } from '../../../core/job/steps'
import type { TryAnswer, TryStep } from './answers'
import { Button, ButtonBase } from '@mui/material'
import { useMemo, useState, type ReactElement } from 'react'
import { Link, useNavigate, useParams } from 'react-router'
import { routes } from '../../../contract/routes'
import { call, useAnswer } from '../../data/api'
import { useMayChange } from '../../data/session'
import { StateBox, StateWord } from '../../look/State'
import { count, lengthText, numberText, timeText } from '../../look/times'
import { FaultBox, Waiting } from '../../kit/Fault'
import { useKeys } from '../../kit/keys'
import { Panels } from '../../kit/Panels'
import { StepDetail } from './StepDetail'
import './try.css'

/** A try: its steps with the rows that went in and came out, held where it was asked to. */
export default function Try(): ReactElement {
  const id = Number(useParams().id)
  const { data, error } = useAnswer(routes.try, { params: { id } }, { keepPreviousData: true })
  if (error && !data) return <FaultBox error={error} />
  if (!data) return <Waiting what="opening the try" />
  return <TrySheet key={data.id} found={data} />
}

function TrySheet({ found }: { found: TryAnswer }): ReactElement {
  const mayChange = useMayChange()
  const navigate = useNavigate()
  const steps = useMemo(() => found.loads.flatMap((load) => load.steps), [found])
  const [chosen, setChosen] = useState<number>()
  const [fault, setFault] = useState<Error>()
  // the newest step with something to see, until a person chooses one
  const newest =
    steps.find(({ state }) => state === 'failed') ??
    steps.findLast(({ state }) => state === 'done' || state === 'running') ??
    steps[0]
  const shown = steps.find(({ position }) => position === chosen) ?? newest
  const ask = (route: typeof routes.goOnTry | typeof routes.stopTry | typeof routes.clearTry) => {
    setFault(undefined)
    void call(route, { params: { id: found.id } }).catch(setFault)
  }
  const again = async () => {
    const { text } = await call(routes.tryDocument, { params: { id: found.id } })
    const { id } = await call(routes.startTry, {
      body: { ...found.ask, text, environment: found.environment },
    })
    void navigate(`/tries/${id}`)
  }
  const move = (by: number) => {
    const at = steps.findIndex(({ position }) => position === shown?.position)
    const next = steps[Math.max(0, Math.min(steps.length - 1, at + by))]
    if (next) setChosen(next.position)
  }
  const held = found.state === 'held'
  const busy = found.state === 'running' || found.state === 'waiting'
  useKeys({
    j: () => move(1),
    k: () => move(-1),
    ArrowDown: () => move(1),
    ArrowUp: () => move(-1),
    ...(mayChange && held ? { g: () => ask(routes.goOnTry) } : {}),
    ...(mayChange && !busy && !held ? { t: () => void again().catch(setFault) } : {}),
  })
  return (
    <div className="stack grow">
      <div className="head" style={{ marginBottom: 0 }}>
        <h1>
          <Link to={`/jobs/${found.job}${found.saved ? '' : `?from=${found.id}`}`}>{found.title}</Link>, tried
        </h1>
        <StateWord state={found.state} />
        <span className="soft">
          in {found.environment}, {timeText(found.createdAt)} by {found.by}
          {!found.saved && (
            <>
              {' · a text that is not saved; '}
              <Link to={`/jobs/${found.job}?from=${found.id}`}>go on editing it</Link>
            </>
          )}
        </span>
        <div className="actions">
          {mayChange && held && (
            <Button variant="contained" color="primary" onClick={() => ask(routes.goOnTry)} title="g">
              Go on
            </Button>
          )}
          {mayChange && (busy || held) && <Button onClick={() => ask(routes.stopTry)}>Stop it here</Button>}
          {mayChange && !busy && !held && (
            <Button onClick={() => void again().catch(setFault)} title="t">
              Try the same again
            </Button>
          )}
        </div>
      </div>
      <Scratch found={found} mayChange={mayChange && !busy} onClear={() => ask(routes.clearTry)} />
      {fault && <FaultBox error={fault} />}
      {found.fault !== null && (
        <div className="fault">
          <b className="bad">Ended</b>
          <br />
          {found.fault}.{' '}
          <span className="soft">What its step had begun was rolled back; try the same again.</span>
        </div>
      )}
      <Panels name="try" first={35} least={[330, 430]}>
        <section className="sheet" style={{ overflow: 'auto' }} aria-labelledby="tried-steps" tabIndex={0}>
          <h2 id="tried-steps">
            Steps <small>rows in, rows out</small>
          </h2>
          <Ladder found={found} shown={shown?.position} onChoose={setChosen} />
        </section>
        <section className="sheet" style={{ overflow: 'auto' }} aria-label="the chosen step" tabIndex={0}>
          {shown && <StepDetail key={`${shown.position} ${shown.state}`} id={found.id} step={shown} />}
        </section>
      </Panels>
    </div>
  )
}

/** Where it writes, and how to take that away. */
function Scratch({
  found,
  mayChange,
  onClear,
}: {
  found: TryAnswer
  mayChange: boolean
  onClear: () => void
}): ReactElement {
  const { scratch, clearedAt } = found
  const places = [
    ...scratch.connections.map((name) => `schema ${scratch.schema} of ${name}`),
    ...(scratch.files ? ['a folder of its own'] : []),
  ]
  const values = Object.entries(found.parameters)
  return (
    <p className="soft" style={{ margin: 0 }}>
      {values.length > 0 && `with ${values.map(([name, value]) => `${name} ${String(value)}`).join(', ')} · `}
      {clearedAt !== null
        ? `what it wrote was taken away ${timeText(clearedAt)}`
        : places.length === 0
          ? 'it has written nothing so far'
          : `wrote into ${places.join(' and ')}, kept for a day`}
      {clearedAt === null && places.length > 0 && mayChange && (
        <>
          {' · '}
          <LinkButton onClick={onClear}>take it away now</LinkButton>
        </>
      )}
    </p>
  )
}

/** Steps in order, each with a bar of the rows that went in above one of those that came out, on one scale. */
function Ladder({
  found,
  shown,
  onChoose,
}: {
  found: TryAnswer
  shown: number | undefined
  onChoose: (position: number) => void
}): ReactElement {
  const most = Math.max(
    1,
    ...found.loads.flatMap(({ steps }) => steps.map(({ counts }) => counts?.read ?? 0)),
  )
  return (
    <>
      {found.loads.map((load, i) => (
        <div key={i} style={{ marginBottom: 10 }}>
          {(i === 0 || found.loads[i - 1]!.key !== load.key) && (
            <div className="mono soft ladder-load">{load.key}</div>
          )}
          {load.steps.map((step) => (
            <ButtonBase
              key={step.position}
              disableRipple
              className="ladder-step"
              aria-current={step.position === shown}
              onClick={() => onChoose(step.position)}
            >
              <svg width="14" height="14" aria-hidden="true">
                <StateBox state={step.state} x={0} y={0} width={14} height={14} />
              </svg>
              <span>
                {step.title} <span className="soft">{step.kind}</span>
                <span className="soft ladder-said">
                  <Said step={step} />
                </span>
              </span>
              <Flow step={step} most={most} />
              {step.hold && (
                <span className="tag edge">
                  {step.state === 'done' && found.state === 'held' && isLast(found, step)
                    ? 'held here'
                    : 'hold'}
                </span>
              )}
            </ButtonBase>
          ))}
          {load.steps.length === 0 && (
            <span className="soft">not reached: it comes after the last step that was asked for</span>
          )}
        </div>
      ))}
    </>
  )
}

const isLast = (found: TryAnswer, step: TryStep): boolean =>
  found.loads.flatMap(({ steps }) => steps).findLast(({ state }) => state === 'done')?.position ===
  step.position

function Said({ step }: { step: TryStep }): ReactElement {
  const { counts, tables, state, milliseconds } = step
  const took = milliseconds === null ? '' : ` · ${lengthText(milliseconds / 1000)}`
  if (state === 'waiting') return <>waiting</>
  if (state === 'running') return <>running</>
  if (state !== 'done')
    return (
      <span className={state === 'failed' ? 'bad' : undefined}>
        {state}
        {took}
      </span>
    )
  const { tells } = stepDefinition(step.kind)
  if (tells === 'rows' && counts)
    return (
      <>
        {numberText(counts.read)} in, {numberText(counts.written)} written
        {counts.unchanged > 0 && `, ${numberText(counts.unchanged)} unchanged`}
        {counts.filtered > 0 && `, ${numberText(counts.filtered)} filtered`}
        {counts.rejected > 0 && <span className="bad">, {numberText(counts.rejected)} rejected</span>}
        {took}
      </>
    )
  const changed = tables.filter(({ before, after }) => before !== after)
  return (
    <>
      {tells === 'holds' || tells === 'log'
        ? { holds: 'holds', log: 'said' }[tells]
        : changed.length === 0
          ? tables.length === 0
            ? 'changed nothing'
            : `${count(tables.length, 'table')}, as many rows as before`
          : changed
              .map(
                ({ title, before, after }) =>
                  `${title} ${numberText(before ?? 0)} → ${numberText(after ?? 0)}`,
              )
              .join(', ')}
      {took}
    </>
  )
}

const wide = 92

/** What went in above what came out of it; both to the scale of the largest step. */
function Flow({ step, most }: { step: TryStep; most: number }): ReactElement | null {
  const { counts } = step
  if (stepDefinition(step.kind).tells !== 'rows' || !counts || step.state === 'waiting') return null
  const length = (n: number) => (n === 0 ? 0 : Math.max(1, (n / most) * wide))
  const parts = [
    { rows: counts.written, fill: 'var(--slate)' },
    { rows: counts.unchanged, fill: 'var(--grey)' },
    { rows: counts.rejected, fill: 'var(--ochre)' },
  ]
  let x = 0
  return (
    <svg width={wide} height="14" aria-hidden="true">
      <rect
        x="0.5"
        y="1.5"
        width={Math.max(0, length(counts.read) - 1)}
        height="3"
        fill="none"
        stroke="var(--slate)"
      />
      {parts.map(({ rows, fill }) => {
        const at = x
        x += length(rows)
        return <rect key={fill} x={at} y="7" width={length(rows)} height="6" fill={fill} />
      })}
    </svg>
  )
}
