import { LinkButton } from '../../kit/LinkButton'
import { Views } from '../../kit/Views'
import { Lines } from '../../kit/Lines'
import { Button, TableBody } from '@mui/material'
import { useState, type ReactElement } from 'react'
import { Link } from 'react-router'
import { difference, outcomes, type Counts } from '../../../core/balance/balance'
import type { Answer } from '../../../contract/route'
import { routes } from '../../../contract/routes'
import { useAnswer } from '../../data/api'
import { useMay } from '../../data/session'
import { StateWord } from '../../look/State'
import { count, lengthText, numberText, timeText } from '../../look/times'
import { FaultBox, Waiting } from '../../kit/Fault'
import { Statements } from '../../kit/Statements'
import { BreakingRows } from './BreakingRows'
import { toControlRow } from '../control/toRow'
import { LoadLog } from './LoadLog'
import { LoadWaits } from './LoadWaits'
import { Rejects } from './Rejects'
import { RerunDialog } from './RerunDialog'
import { StepFiles } from './StepFiles'
import { Fact } from './Fact'

type Detail = Answer<typeof routes.runLoad>
type StepDetail = Detail['detail'][number]

/** All that is known of one load. */
export function LoadDetail({ run, id }: { run: Answer<typeof routes.run>; id: number }): ReactElement {
  const { data: load, error } = useAnswer(
    routes.runLoad,
    { params: { id: run.id, load: id } },
    { keepPreviousData: true },
  )
  const mayChange = useMay('run', run.environment)
  const [rerunning, setRerunning] = useState(false)
  const [view, setView] = useState<'steps' | 'log'>('steps')
  if (error && !load) return <FaultBox error={error} />
  if (!load) return <Waiting what="opening the load" />
  const seconds =
    load.startedAt && load.endedAt
      ? (new Date(load.endedAt).getTime() - new Date(load.startedAt).getTime()) / 1000
      : undefined
  const several = !load.each || load.detail.filter(({ read, written }) => read + written > 0).length > 1
  const again = mayChange && ['done', 'failed', 'stopped'].includes(run.state)
  return (
    <div className="stack">
      <div>
        <h2 style={{ marginBottom: 2 }}>{load.key}</h2>
        <span className="line" style={{ flexWrap: 'wrap' }}>
          <StateWord state={load.state} />
          <span className="soft">
            {seconds !== undefined && `in ${lengthText(seconds)}`}
            {load.worker !== null && ` · worker ${load.worker}`}
            {load.attempt > 1 && ` · attempt ${load.attempt}`}
          </span>
          {again && (
            <Button onClick={() => setRerunning(true)} style={{ marginLeft: 'auto' }}>
              Rerun this load
            </Button>
          )}
        </span>
      </div>
      {load.waitsFor !== null && (
        <p className="look" style={{ margin: 0 }} role="status">
          waits for {load.waitsFor}
        </p>
      )}
      {load.waitsFor !== null && load.state === 'waiting' && <LoadWaits run={run.id} load={load.id} />}
      {load.attempts.map(({ attempt, worker, host, endedAt, why }) => (
        <p key={attempt} className="soft" style={{ margin: 0 }}>
          attempt {attempt}
          {worker !== null && ` on worker ${worker}`}
          {host !== null && ` of ${host}`}: {why}, {timeText(endedAt)}
        </p>
      ))}
      {load.letGo && (
        <p className="soft" style={{ margin: 0 }}>
          let go before its turn by {load.letGo.by}, {timeText(load.letGo.at)}: {load.letGo.why}
        </p>
      )}
      {rerunning && (
        <RerunDialog
          run={run}
          loads={[id]}
          undone={Number(load.state !== 'done')}
          onClose={() => setRerunning(false)}
        />
      )}
      {load.error && <LoadFault load={load} />}
      {load.each && (
        <Lines>
          <TableBody>
            <Fact name="row">{load.row ? <RowText row={load.row} /> : ''}</Fact>
            {load.controls.length > 0 && (
              <Fact name={`control row${load.controls.length > 1 ? 's' : ''}`}>
                {load.controls.map((row, place) => (
                  <span key={place}>
                    {place > 0 && ', '}
                    <Link to={toControlRow(row)}>
                      {row.key} in {row.control}
                    </Link>
                  </span>
                ))}
              </Fact>
            )}
            {load.slice && (
              <Fact name="slice">{`${timeText(load.slice.from, run.zone ?? undefined)} – ${timeText(load.slice.to, run.zone ?? undefined)}, ${run.zone ?? ''}`}</Fact>
            )}
            {(load.state === 'done' || load.read > 0) && <Fact name="rows">{sumText(load)}</Fact>}
          </TableBody>
        </Lines>
      )}
      {load.detail.length > 0 && (
        <Views
          label="what is shown"
          value={view}
          views={[
            ['steps', 'steps'],
            ['log', 'log'],
          ]}
          onChange={setView}
        />
      )}
      {view === 'log' && <LoadLog key={load.id} load={load} />}
      {view === 'steps' &&
        load.detail.map((step) => (
          <StepSheet key={step.step} run={run.id} load={load.id} step={step} sums={several} />
        ))}
      {load.detail.length === 0 && load.state !== 'failed' && (
        <span className="soft">
          {load.state === 'running' ? 'Its first step is under way.' : 'It has not started.'}
        </span>
      )}
      {load.repeats !== null && run.rerunOf !== null && (
        <Link to={`/runs/${run.rerunOf}?load=${load.repeats}`}>the same load in run {run.rerunOf}</Link>
      )}
    </div>
  )
}

function RowText({ row }: { row: NonNullable<Detail['row']> }): ReactElement {
  return (
    <>
      {Object.entries(row)
        .filter(([, value]) => value !== null)
        .map(([name, value]) => `${name} ${String(value)}`)
        .join(', ')}
    </>
  )
}

/** What happened, where, what was written, and what to do. */
function LoadFault({ load }: { load: Detail }): ReactElement {
  const { step, message, effect, advice, rows } = load.error!
  return (
    <div className={load.state === 'skipped' ? 'sheet' : 'fault'}>
      <b className={load.state === 'skipped' ? 'look' : 'bad'}>
        {load.state === 'skipped' ? 'Skipped' : load.state === 'stopped' ? 'Stopped' : 'Failed'}
        {step && ` at ${step}`}
      </b>
      <br />
      {message}.<br />
      <span className="soft">
        {effect}; {advice}.
      </span>
      {rows && rows.length > 0 && <BreakingRows rows={rows} />}
    </div>
  )
}

/** Rows as the source counts them, apart from the loading, and what became of them. */
function sumText(counts: Counts): string {
  const shown = outcomes.filter((name) => counts[name] > 0 || name === 'written')
  const off = difference(counts)
  return `${numberText(counts.read)} in the source = ${shown.map((name) => `${numberText(counts[name])} ${name}`).join(' + ')}${off === 0 ? '' : `, off by ${numberText(off)}`}`
}

/** One step: what its texts resolved to, its files, its statements. */
function StepSheet({
  run,
  load,
  step,
  sums,
}: {
  readonly run: number
  readonly load: number
  readonly step: StepDetail
  /** Its rows are summed: more than one step of the load has some. */
  readonly sums: boolean
}): ReactElement {
  const [open, setOpen] = useState(false)
  const seconds = step.endedAt
    ? (new Date(step.endedAt).getTime() - new Date(step.startedAt).getTime()) / 1000
    : undefined
  return (
    <section aria-label={`step ${step.step}`}>
      <div className="line">
        <h2 className="mono" style={{ margin: 0 }}>
          {step.step}
        </h2>
        <StateWord state={step.state} />
        <span className="soft">
          {step.kind}
          {seconds !== undefined && `, ${lengthText(seconds)}`}
        </span>
        {step.statements.length > 0 && (
          <LinkButton style={{ marginLeft: 'auto' }} aria-expanded={open} onClick={() => setOpen(!open)}>
            {open ? 'less' : count(step.statements.length, 'statement')}
          </LinkButton>
        )}
      </div>
      <Lines>
        <TableBody>
          {step.resolved
            .filter(({ path }) => path !== 'sql.text')
            .map(({ path, text }) => (
              <Fact key={path} name={path.split('.').slice(1).join(' ')}>
                {text}
              </Fact>
            ))}
          {step.called && (
            <Fact name="run">
              <Link to={`/runs/${step.called.id}`}>
                run {step.called.id} of {step.called.job}
              </Link>{' '}
              <StateWord state={step.called.state} />
            </Fact>
          )}
          {step.keptFrom && (
            <Fact name="kept from">
              {step.keptFrom.run === null ? (
                'a run that is no longer kept'
              ) : (
                <>
                  <Link to={`/runs/${step.keptFrom.run}?load=${step.keptFrom.load}`}>
                    run {step.keptFrom.run}
                  </Link>
                  , which counts its rows
                </>
              )}
            </Fact>
          )}
          {step.tries.map((one) => (
            <Fact key={one.at} name="tried again">
              {one.message} <span className="soft">{timeText(one.at)}</span>
            </Fact>
          ))}
          {sums && step.read + step.written > 0 && <Fact name="rows">{sumText(step)}</Fact>}
          <StepFiles files={step.files} />
          {step.checks.map((check, i) => (
            <Fact key={i} name={check.holds ? 'holds' : 'does not hold'}>
              {check.text}
              {!check.holds && (
                <>
                  <br />
                  <span className="look">{check.why}</span>
                </>
              )}
              {check.note !== undefined && <span className="soft"> · {check.note}</span>}
              {check.rows && <BreakingRows rows={check.rows} />}
            </Fact>
          ))}
          {step.log.length > 0 && <Fact name="log">{step.log.join('; ')}</Fact>}
        </TableBody>
      </Lines>
      {step.hasRejects && <Rejects run={run} load={load} step={step} />}
      {open && (
        <div className="stack" style={{ gap: 6, marginTop: 6 }}>
          <Statements list={step.statements} />
        </div>
      )}
    </section>
  )
}
