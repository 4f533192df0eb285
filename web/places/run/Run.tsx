import { LinkButton } from '../../kit/LinkButton'
import { Views } from '../../kit/Views'
import { Lines } from '../../kit/Lines'
import { Button, TableBody, TableCell, TableRow, TextField } from '@mui/material'
import { useCallback, useMemo, useState, type ReactElement } from 'react'
import { Link, useParams, useSearchParams } from 'react-router'
import type { Answer } from '../../../contract/route'
import { routes } from '../../../contract/routes'
import { call, useAnswer } from '../../data/api'
import { usePages } from '../../data/pages'
import { useMay } from '../../data/session'
import { StateWord } from '../../look/State'
import { clock, count, lengthText, numberText, spanText, timeText } from '../../look/times'
import { FaultBox, Waiting } from '../../kit/Fault'
import { say } from '../../kit/Notice'
import { useKeys } from '../../kit/keys'
import { Balance } from './Balance'
import { LoadChart, type LoadRow } from './LoadChart'
import { LoadDetail } from './LoadDetail'
import { Parts } from './Parts'
import { Picked } from './Picked'
import { useProof } from './Proof'
import { RerunDialog } from './RerunDialog'

type RunAnswer = Answer<typeof routes.run>
type Order = 'started' | 'failed' | 'worker'
const orders: Record<Order, string> = {
  started: 'in the order they started',
  failed: 'failed first',
  worker: 'by worker',
}

/** Loads that one request may be about. */
const mostPicked = 10_000

/** A run: its balance at the head, its loads along time, and one load whole beside them. */
export default function Run(): ReactElement {
  const id = Number(useParams().id)
  const { data: run, error } = useAnswer(routes.run, { params: { id } }, { keepPreviousData: true })
  if (error && !run) return <FaultBox error={error} />
  if (!run || run.id !== id) return <Waiting what={`opening run ${id}`} />
  return <RunSheet run={run} />
}

function RunSheet({ run }: { run: RunAnswer }): ReactElement {
  const mayChange = useMay('run', run.environment)
  const [search, setSearch] = useSearchParams()
  const [fault, setFault] = useState<Error>()
  const order = (search.get('order') ?? (run.state === 'failed' ? 'failed' : 'started')) as Order
  const cause = search.get('cause') ?? ''
  const text = search.get('find') ?? ''
  const chosen = search.get('load')
  const set = useCallback(
    (values: Record<string, string>) =>
      setSearch(
        (now) => {
          const next = new URLSearchParams(now)
          for (const [name, value] of Object.entries(values)) {
            if (value) next.set(name, value)
            else next.delete(name)
          }
          return next
        },
        { replace: true },
      ),
    [setSearch],
  )
  const fetchPage = useCallback(
    async (offset: number, limit: number) => {
      const { total, loads } = await call(routes.runLoads, {
        params: { id: run.id },
        query: { offset, limit, order, cause, search: text },
      })
      return { total, rows: loads }
    },
    [run.id, order, cause, text],
  )
  const pages = usePages<LoadRow>(`/api/runs/${run.id}/loads?${order}&${cause}&${text}`, fetchPage)
  // until one is chosen the first is shown, so that the page is never half empty
  const shown = chosen === null ? pages.row(0)?.id : Number(chosen)
  const [rerunning, setRerunning] = useState(false)
  const rerun = useCallback(() => setRerunning(true), [])
  const [picked, setPicked] = useState<ReadonlyMap<number, LoadRow>>(new Map())
  const pick = (load: LoadRow) => {
    const next = new Map(picked)
    if (!next.delete(load.id)) next.set(load.id, load)
    setPicked(next)
  }
  /** All that fit, also those that are not fetched yet. */
  const pickAll = async () => {
    const all = new Map<number, LoadRow>()
    for (let offset = 0; offset < Math.min(pages.total ?? 0, mostPicked); offset += 1000)
      for (const load of (await fetchPage(offset, 1000)).rows) all.set(load.id, load)
    setPicked(all)
  }
  // a pick shows how its load stands now
  const now = useMemo(() => {
    const seen = new Map<number, LoadRow>()
    if (picked.size > 0)
      for (let i = 0; i < Math.min(pages.total ?? 0, mostPicked); i++) {
        const load = pages.row(i)
        if (load) seen.set(load.id, load)
      }
    return Array.from(picked.values(), (load) => seen.get(load.id) ?? load)
  }, [picked, pages])
  const held = run.state === 'held' || run.parts.some(({ state, held }) => state === 'held' || held > 0)
  const hold = () => void call(routes.holdRun, { params: { id: run.id } }).catch(setFault)
  const goOn = () => void call(routes.goOn, { params: { id: run.id }, body: {} }).catch(setFault)
  const first = () =>
    void call(routes.putFirst, { params: { id: run.id }, body: {} }).then(
      () => say('It goes before other runs now'),
      setFault,
    )
  const proof = useProof(run)
  const goesOn = ['running', 'held', 'waiting'].includes(run.state)
  const stop = () => void call(routes.stopRun, { params: { id: run.id } }).catch(setFault)
  const again = (run.loads.failed ?? 0) + (run.loads.stopped ?? 0) + (run.loads.skipped ?? 0)
  const canRerun = mayChange && !goesOn
  useKeys(useMemo((): Record<string, () => void> => (canRerun ? { r: rerun } : {}), [canRerun, rerun]))
  return (
    <div className="stack grow">
      <div>
        <div className="head" style={{ marginBottom: 0 }}>
          <h1>
            {run.title}, run {run.id}
          </h1>
          <StateWord state={run.state} />
          <Link className="tag" to={`/jobs/${run.job}?version=${run.version}`}>
            version {run.version}
          </Link>
          <Link className="tag" to={`/plans/${run.plan}`}>
            plan {run.plan}
          </Link>
          <div className="actions">
            {goesOn && mayChange && !run.stopping && (
              <>
                <Button onClick={first}>Put first</Button>
                {run.state === 'running' && <Button onClick={hold}>Hold</Button>}
              </>
            )}
            {goesOn && mayChange && held && !run.stopping && (
              <Button variant="contained" color="primary" onClick={goOn}>
                Go on
              </Button>
            )}
            {goesOn && mayChange && (
              <Button onClick={stop} disabled={run.stopping}>
                {run.stopping ? 'Stopping' : 'Stop'}
              </Button>
            )}
            {canRerun && (
              <Button {...(again > 0 ? { variant: 'contained', color: 'primary' } : {})} onClick={rerun}>
                {again === 0
                  ? 'Rerun from a step'
                  : again === 1
                    ? 'Rerun the one not done'
                    : `Rerun the ${numberText(again)} not done`}
              </Button>
            )}
          </div>
        </div>
        <Summary run={run} />
      </div>
      {fault && <FaultBox error={fault} />}
      {rerunning && <RerunDialog run={run} undone={again} onClose={() => setRerunning(false)} />}
      <Balance run={run}>{proof.links}</Balance>
      {proof.found}
      {run.parts.length > 1 && <Parts parts={run.parts} />}
      {run.causes.length > 0 && (
        <Causes run={run} chosen={cause} onChoose={(next) => set({ cause: next === cause ? '' : next })} />
      )}
      <div
        className="grow"
        style={{
          display: 'grid',
          gridTemplateColumns: 'minmax(420px, 1.65fr) minmax(330px, 1fr)',
          gap: 12,
          minHeight: 320,
        }}
      >
        <section className="sheet rows" aria-labelledby="loads">
          <div className="line" style={{ marginBottom: 6, flexWrap: 'wrap' }}>
            <h2 id="loads" style={{ margin: 0 }}>
              Loads <small>{pages.total !== undefined && numberText(pages.total)}</small>
            </h2>
            <Views
              label="order"
              value={order}
              views={(Object.keys(orders) as Order[]).map((name) => [name, orders[name]] as const)}
              onChange={(name) => set({ order: name })}
            />
            {mayChange && (pages.total ?? 0) > 1 && (
              <Button variant="text" onClick={() => void pickAll().catch(setFault)}>
                {(pages.total ?? 0) > mostPicked ? `Pick the first ${numberText(mostPicked)}` : 'Pick all'}
              </Button>
            )}
            <TextField
              placeholder="find a load"
              value={text}
              onChange={(event) => set({ find: event.target.value })}
              sx={{ marginLeft: 'auto', width: 130 }}
              slotProps={{ htmlInput: { 'aria-label': 'find a load' } }}
            />
          </div>
          {picked.size > 0 && <Picked run={run} picked={now} onClear={() => setPicked(new Map())} />}
          {pages.error && <FaultBox error={pages.error} />}
          <LoadChart
            run={run}
            total={pages.total ?? 0}
            row={pages.row}
            onSeen={pages.onSeen}
            chosen={shown}
            onChoose={({ id }) => set({ load: String(id) })}
            picked={mayChange ? picked : undefined}
            onPick={pick}
          />
        </section>
        <section className="sheet" style={{ overflow: 'auto' }} aria-label="the chosen load" tabIndex={0}>
          {shown !== undefined ? (
            <LoadDetail run={run} id={shown} />
          ) : (
            <span className="soft">{pages.total === 0 ? 'No load fits.' : ''}</span>
          )}
        </section>
      </div>
    </div>
  )
}

function Summary({ run }: { run: RunAnswer }): ReactElement {
  const total = Object.values(run.loads).reduce((sum, n) => sum + n, 0)
  const finished =
    (run.loads.done ?? 0) + (run.loads.failed ?? 0) + (run.loads.skipped ?? 0) + (run.loads.stopped ?? 0)
  const seconds =
    run.startedAt && run.endedAt
      ? (new Date(run.endedAt).getTime() - new Date(run.startedAt).getTime()) / 1000
      : undefined
  return (
    <p className="soft" style={{ margin: 0 }}>
      in {run.environment}, started {timeText(run.createdAt)} by{' '}
      {run.begunBy ? (
        <>
          its start{' '}
          <Link
            to="/starts?view=decisions"
            title={run.begunBy.why === null ? run.begunBy.cause : `${run.begunBy.cause}; ${run.begunBy.why}`}
          >
            {run.begunBy.start}
          </Link>
          {run.begunBy.why !== null && <span className="look"> ({run.begunBy.why})</span>}
        </>
      ) : (
        run.by
      )}
      {run.heldBy !== null && `, held by ${run.heldBy}`}
      {run.state === 'waiting' && ', waits for another run of its job'}
      {run.calledBy && (
        <>
          , called by{' '}
          <Link to={`/runs/${run.calledBy.run}?load=${run.calledBy.load}`}>
            run {run.calledBy.run} of {run.calledBy.job}
          </Link>
        </>
      )}
      {run.rerunOf !== null && (
        <>
          ,{' '}
          <Link to={`/runs/${run.rerunOf}`}>
            {run.cause.includes(String(run.rerunOf)) ? run.cause : `rerun of ${run.rerunOf}`}
          </Link>
        </>
      )}
      {run.unreached.map(({ connection, needs }) => (
        <span key={connection} className="look">
          {' '}
          · loads wait for a worker that reaches {connection} ({needs.join(', ')})
        </span>
      ))}
      {run.cameAfter.map(({ dataset, run: by, at }) => (
        <span key={dataset} className="look">
          {' '}
          · {dataset} was refreshed after it began, {timeText(at)}, by{' '}
          <Link to={`/runs/${by}`}>run {by}</Link>
        </span>
      ))}
      {run.span && ` · slices ${spanText(run.span, run.zone ?? undefined)}`} · {numberText(finished)} of{' '}
      {count(total, 'load')} finished
      {seconds !== undefined && ` in ${lengthText(seconds)}`}
      {run.left !== null &&
        run.state === 'running' &&
        ` · done about ${clock(new Date(Date.now() + run.clockOffset + run.left * 1000).toISOString())}`}
    </p>
  )
}

/** Failures by cause: many of one reason read as one line. */
function Causes({
  run,
  chosen,
  onChoose,
}: {
  run: RunAnswer
  chosen: string
  onChoose: (cause: string) => void
}): ReactElement {
  return (
    <section
      className="sheet"
      aria-labelledby="causes"
      style={{ paddingBottom: 4, maxHeight: 170, overflow: 'auto', flex: 'none' }}
    >
      <h2 id="causes">
        Why <small>failures and skips by their cause; choose one to see its loads</small>
      </h2>
      <Lines>
        <TableBody>
          {run.causes.map((cause) => (
            <TableRow
              key={cause.cause}
              style={cause.cause === chosen ? { background: 'var(--tint)' } : undefined}
            >
              <TableCell className="keep" style={{ width: 80 }}>
                <b className={cause.goesOn ? 'look' : 'bad'}>{count(cause.count, 'load')}</b>
              </TableCell>
              <TableCell>
                <LinkButton aria-pressed={cause.cause === chosen} onClick={() => onChoose(cause.cause)}>
                  {cause.message}
                </LinkButton>
                {cause.step && <span className="soft"> at {cause.step}</span>}
                {cause.goesOn && <span className="soft">, and they went on</span>}
              </TableCell>
              <TableCell className="soft">{cause.advice}</TableCell>
            </TableRow>
          ))}
        </TableBody>
      </Lines>
    </section>
  )
}
