import { Lines } from '../../kit/Lines'
import { Button, TableBody, TableCell, TableHead, TableRow, TextField } from '@mui/material'
import { useState, type FormEvent, type ReactElement } from 'react'
import useSWR from 'swr'
import type { Answer, Body } from '../../../contract/route'
import { routes } from '../../../contract/routes'
import { call, type ApiFault } from '../../data/api'
import { count, lengthText, numberText } from '../../look/times'
import { Empty, FaultBox, Waiting } from '../../kit/Fault'
import type { PlanAnswer } from './answers'
import { TakeAway } from '../../kit/TakeAway'

type Sheet = Answer<typeof routes.forecastPlan>
type Forecast = NonNullable<Sheet['asIs']>
type Other = NonNullable<Body<typeof routes.forecastPlan>['others']>[number]

/** How long the plan will take, what holds it up, and what it would be with other caps, side by side. */
export function Forecasts({ plan }: { plan: PlanAnswer }): ReactElement {
  const [others, setOthers] = useState<readonly Other[]>([])
  const { data, error } = useSWR<Sheet, ApiFault>(
    `forecast ${plan.id} ${JSON.stringify(others)}`,
    () => call(routes.forecastPlan, { params: { id: plan.id }, body: { others: [...others] } }),
    { keepPreviousData: true, revalidateOnFocus: false },
  )
  if (error) return <FaultBox error={error} />
  if (!data) return <Waiting what="playing the plan through" />
  if (!data.asIs)
    return (
      <Empty>
        Nothing is known yet: no load of this job has run in {plan.environment}. Its first run is the first to
        learn from.
      </Empty>
    )
  const shown = [
    { other: undefined, forecast: data.asIs },
    ...others.map((other, i) => ({ other, forecast: data.others[i] ?? null })),
  ]
  const longest = Math.max(...shown.map(({ forecast }) => forecast?.high ?? 0))
  return (
    <section className="sheet grow" aria-label="forecast" style={{ overflow: 'auto' }} tabIndex={0}>
      <p style={{ margin: '0 0 10px' }}>
        <b>{lengthText(data.asIs.seconds)}</b> likely, between {lengthText(data.asIs.low)} and{' '}
        {lengthText(data.asIs.high)} in eight of ten; {limitText(data.asIs, plan)}.{' '}
        <span className="soft">
          Played through {numberText(data.asIs.draws)} times with lengths drawn from like loads
          {data.asIs.known < 1 &&
            `; ${Math.round(data.asIs.known * 100)} % of the loads have run before, the others are drawn from all`}
          .
        </span>
      </p>
      <Lines fixed>
        <TableHead>
          <TableRow>
            <TableCell style={{ width: 250 }}>caps</TableCell>
            <TableCell style={{ width: 150 }}>likely</TableCell>
            <TableCell>loads at once, along the time</TableCell>
            <TableCell style={{ width: 290 }}>held up by</TableCell>
            <TableCell style={{ width: 90 }} />
          </TableRow>
        </TableHead>
        <TableBody>
          {shown.map(({ other, forecast }, i) => (
            <TableRow key={i}>
              <TableCell>{other ? otherText(other) : <b>{asTheyAre(data, plan)}</b>}</TableCell>
              <TableCell className="keep">
                {forecast && (
                  <>
                    <b>{lengthText(forecast.seconds)}</b>
                    <br />
                    <span className="soft">
                      {lengthText(forecast.low)} to {lengthText(forecast.high)}
                    </span>
                  </>
                )}
              </TableCell>
              <TableCell>{forecast && <RunningStrip forecast={forecast} longest={longest} />}</TableCell>
              <TableCell>{forecast && <Limits forecast={forecast} plan={plan} />}</TableCell>
              <TableCell className="number">
                {other && <TakeAway onClick={() => setOthers(others.filter((_, at) => at !== i - 1))} />}
              </TableCell>
            </TableRow>
          ))}
        </TableBody>
      </Lines>
      <OtherCaps
        sheet={data}
        plan={plan}
        full={others.length >= 8}
        onAdd={(other) => setOthers([...others, other])}
      />
    </section>
  )
}

/** How many loads run at once, drawn along the same time for all forecasts: dashed, since none of it has run yet. */
function RunningStrip({ forecast, longest }: { forecast: Forecast; longest: number }): ReactElement {
  const { running, seconds } = forecast
  const most = Math.max(1, ...running)
  const height = 34
  const step = 300 / running.length
  const top = (value: number) => height - 1 - (value / most) * (height - 3)
  const outline = running.map((value, i) => `V${top(value)}H${(i + 1) * step}`).join('')
  return (
    <svg
      viewBox={`0 0 300 ${height}`}
      preserveAspectRatio="none"
      height={height}
      style={{
        width: `${Math.max(4, Math.round((seconds / longest) * 100))}%`,
        minWidth: 24,
        display: 'block',
      }}
      role="img"
      aria-label={`up to ${most} loads at once over ${lengthText(seconds)}`}
    >
      <path
        d={`M0.5 ${height - 1}${outline}V${height - 1}`}
        fill="var(--tint)"
        stroke="var(--grey)"
        strokeDasharray="3 2"
        vectorEffect="non-scaling-stroke"
      />
      <path d={`M0 ${height - 0.5}H300`} stroke="var(--ink)" vectorEffect="non-scaling-stroke" />
    </svg>
  )
}

const partName = (plan: PlanAnswer, index: string): string => {
  const part = plan.parts[Number(index)]
  return part?.each ? `${count(part.atOnce, 'load')} at once` : 'one at a time'
}

type Limit = Forecast['limits'][number]

const limitName = ({ kind, name }: Limit, plan: PlanAnswer): string =>
  kind === 'at-once'
    ? `the job’s own cap, ${partName(plan, name)}`
    : kind === 'connection'
      ? `the cap of ${name}`
      : kind === 'workers'
        ? 'the workers'
        : 'its longest loads, while nothing waits'

function limitText(forecast: Forecast, plan: PlanAnswer): string {
  const [first] = forecast.limits
  return first ? `held up by ${limitName(first, plan)}` : 'nothing holds it up'
}

function Limits({ forecast, plan }: { forecast: Forecast; plan: PlanAnswer }): ReactElement {
  return (
    <>
      {forecast.limits.slice(0, 3).map((limit) => (
        <div
          key={`${limit.kind} ${limit.name}`}
          style={{ display: 'grid', gridTemplateColumns: '40px minmax(0, 1fr)', gap: 8 }}
        >
          <span className="number">{Math.round(limit.share * 100)} %</span>
          <span>{limitName(limit, plan)}</span>
        </div>
      ))}
    </>
  )
}

const capText = (cap: number | null | undefined): string =>
  cap === null || cap === undefined ? 'no cap' : String(cap)

function asTheyAre(sheet: Sheet, plan: PlanAnswer): string {
  const main = plan.parts.find((part) => part.each)
  const capped = sheet.used.filter((name) => typeof sheet.caps.connections[name] === 'number')
  return [
    main && `${main.atOnce} at once`,
    `${sheet.caps.workers} by the workers`,
    ...capped.map((name) => `${name} ${capText(sheet.caps.connections[name])}`),
  ]
    .filter(Boolean)
    .join(', ')
}

const otherText = ({ atOnce, workers, connections = {} }: Other): string =>
  [
    atOnce !== undefined && `${atOnce} at once`,
    workers !== undefined && `${workers} by the workers`,
    ...Object.entries(connections).map(([name, cap]) => `${name} ${capText(cap)}`),
  ]
    .filter(Boolean)
    .join(', ')

/** A form for one more column of caps; what is left empty stays as it is. */
function OtherCaps({
  sheet,
  plan,
  full,
  onAdd,
}: {
  sheet: Sheet
  plan: PlanAnswer
  full: boolean
  onAdd: (other: Other) => void
}): ReactElement {
  const main = plan.parts.find((part) => part.each)
  const [values, setValues] = useState<Record<string, string>>({})
  const number = (name: string) => (values[name] ? Number(values[name]) : undefined)
  const other: Other = {
    ...(number('at once') === undefined ? {} : { atOnce: number('at once') }),
    ...(number('workers') === undefined ? {} : { workers: number('workers') }),
  }
  const connections = Object.fromEntries(
    sheet.used.flatMap((name) => (number(`of ${name}`) === undefined ? [] : [[name, number(`of ${name}`)!]])),
  )
  const whole = Object.keys(connections).length > 0 ? { ...other, connections } : other
  const submit = (event: FormEvent) => {
    event.preventDefault()
    onAdd(whole)
    setValues({})
  }
  const field = (name: string, label: string, now: string) => (
    <TextField
      key={name}
      label={label}
      type="number"
      placeholder={now}
      value={values[name] ?? ''}
      onChange={(event) => setValues({ ...values, [name]: event.target.value })}
      sx={{ width: 150 }}
      slotProps={{ inputLabel: { shrink: true }, htmlInput: { min: 1, max: 1000 } }}
    />
  )
  return (
    <form
      className="line"
      onSubmit={submit}
      aria-label="other caps"
      style={{ flexWrap: 'wrap', rowGap: 12, marginTop: 18 }}
    >
      {main && field('at once', 'loads at once', String(main.atOnce))}
      {field('workers', 'by all workers', String(sheet.caps.workers))}
      {sheet.used.map((name) => field(`of ${name}`, `cap of ${name}`, capText(sheet.caps.connections[name])))}
      <Button type="submit" disabled={full || Object.keys(whole).length === 0}>
        See it with these
      </Button>
      <span className="soft">nothing is changed by looking</span>
    </form>
  )
}
