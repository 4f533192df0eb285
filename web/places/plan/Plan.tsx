import { Button, Checkbox, Dialog, DialogActions, DialogContent, DialogTitle, TextField } from '@mui/material'
import { useCallback, useMemo, useState, type ReactElement } from 'react'
import { Link, useNavigate, useParams } from 'react-router'
import type { Answer } from '../../../contract/route'
import { routes } from '../../../contract/routes'
import { call, useAnswer } from '../../data/api'
import { usePages } from '../../data/pages'
import { useHere, useMayChange } from '../../data/session'
import { bytesText, count, lengthText, numberText, timeText } from '../../look/times'
import { Empty, FaultBox, Waiting } from '../../parts/Fault'
import { useKeys } from '../../parts/keys'
import { Rows, type RowsColumn } from '../../parts/Rows'
import { ColumnChooser } from '../../parts/ColumnChooser'
import { Findings } from './Findings'

export type PlanAnswer = Answer<typeof routes.plan>
type LoadRow = Answer<typeof routes.planLoads>['loads'][number]

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
  const mayChange = useMayChange()
  const { session } = useHere()
  const live = session.environments.some(({ name, live: isLive }) => name === plan.environment && isLive)
  const [code, setCode] = useState('')
  const [text, setText] = useState('')
  const [fault, setFault] = useState<Error>()
  const [asking, setAsking] = useState(false)
  const [hidden, setHidden] = useState<ReadonlySet<string>>(() => firstHidden(plan))
  const fetchPage = useCallback(
    async (offset: number, limit: number) => {
      const { total, loads } = await call(routes.planLoads, {
        params: { id: plan.id },
        query: { offset, limit, code, search: text },
      })
      return { total, rows: loads }
    },
    [plan.id, code, text],
  )
  const pages = usePages<LoadRow>(`/api/plans/${plan.id}/loads?${code}&${text}`, fetchPage)
  const { refresh } = pages
  const each = plan.parts.filter((part) => part.each)
  const [main] = each.length > 0 ? each : plan.parts
  const toRun = plan.loads - plan.left

  const leave = useCallback(
    async (body: { numbers?: number[]; code?: string; search?: string; left: boolean }) => {
      await call(routes.leaveOut, { params: { id: plan.id }, body })
      await refresh()
      onChanged()
    },
    [plan.id, refresh, onChanged],
  )
  const pick = useCallback(
    (load: LoadRow) => void leave({ numbers: [load.number], left: !load.left }).catch(setFault),
    [leave],
  )
  const run = useCallback(() => {
    setAsking(false)
    call(routes.startRun, { body: { plan: plan.id } }).then((made) => navigate(`/runs/${made.run}`), setFault)
  }, [plan.id, navigate])
  const again = useCallback(() => {
    call(routes.makePlan, {
      body: {
        job: plan.job,
        environment: plan.environment,
        parameters: plan.parameters,
        only: plan.only ?? undefined,
        span: plan.span ?? undefined,
      },
    }).then(({ id }) => navigate(`/plans/${id}`), setFault)
  }, [plan, navigate])
  useKeys(useMemo(() => ({ p: again }), [again]))
  const columns = useMemo(
    () =>
      main ? columnsOf(plan, main, mayChange ? pick : undefined).filter(({ id }) => !hidden.has(id)) : [],
    [plan, main, mayChange, pick, hidden],
  )
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
      {fault && <FaultBox error={fault} />}
      <Findings
        plan={plan}
        chosen={code}
        onChoose={(next) => setCode(next === code ? '' : next)}
        onLeave={
          mayChange ? (finding) => void leave({ code: finding, left: true }).catch(setFault) : undefined
        }
      />
      <section className="sheet rows grow" aria-labelledby="loads" style={{ minHeight: 240 }}>
        <div className="line" style={{ marginBottom: 4, flexWrap: 'wrap' }}>
          <h2 id="loads" style={{ margin: 0 }}>
            {pages.total === undefined || (code === '' && text === '')
              ? count(plan.loads, 'load')
              : `${numberText(pages.total)} of ${count(plan.loads, 'load')}`}
            <small>
              {plan.left > 0 && `${numberText(plan.left)} left out · `}
              only what differs between them is shown
            </small>
          </h2>
          <span className="line" style={{ marginLeft: 'auto' }}>
            {mayChange && plan.left > 0 && (
              <Button onClick={() => void leave({ left: false }).catch(setFault)}>Take all in</Button>
            )}
            {mayChange && (code !== '' || text !== '') && (
              <Button
                onClick={() =>
                  void leave({ code: code || undefined, search: text || undefined, left: true }).catch(
                    setFault,
                  )
                }
              >
                Leave these out
              </Button>
            )}
            {code !== '' && <Button onClick={() => setCode('')}>Show all</Button>}
            {main && <ColumnChooser columns={main.differing.columns} hidden={hidden} onChange={setHidden} />}
            <TextField
              placeholder="find in the loads"
              value={text}
              onChange={(event) => setText(event.target.value)}
              sx={{ width: 170 }}
              slotProps={{ htmlInput: { 'aria-label': 'find in the loads' } }}
            />
          </span>
        </div>
        {main && main.differing.same.length > 0 && (
          <div className="soft" style={{ marginBottom: 6 }}>
            the same in all:{' '}
            {main.differing.same.map(({ label, text: value }, i) => (
              <span key={label + i}>
                {i > 0 && ', '}
                {label}{' '}
                <span className="mono">
                  {value.length > 80 ? `${value.slice(0, 80).replace(/\s+/g, ' ')}…` : value}
                </span>
              </span>
            ))}
          </div>
        )}
        {pages.error && <FaultBox error={pages.error} />}
        <Rows
          label="loads of the plan"
          columns={columns}
          total={pages.total ?? 0}
          row={pages.row}
          onSeen={pages.onSeen}
          onPick={mayChange ? pick : undefined}
          faded={({ left }) => left}
          empty={
            pages.total === 0 && (
              <Empty>
                {code || text ? 'No load fits.' : 'The plan has no loads: the roster or the span is empty.'}
              </Empty>
            )
          }
        />
      </section>
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

/** Of the row's columns only those that name the loads are shown at first; what is built from the others is. */
function firstHidden(plan: PlanAnswer): ReadonlySet<string> {
  const columns = (plan.parts.find((part) => part.each) ?? plan.parts[0])?.differing.columns ?? []
  const rows = columns.filter(({ kind }) => kind === 'row')
  return new Set(rows.slice(1).map(({ id }) => id))
}

/** What the plan is, as one reads it aloud. */
function sentence(plan: PlanAnswer, part: PlanAnswer['parts'][number]): string {
  if (!part.each) return `once, in ${plan.environment}`
  const slices =
    part.slices > 0 ? `, each of ${count(part.slices, 'slice')}${plan.span ? ` (${plan.span})` : ''}` : ''
  const only = plan.only ? `, only where ${plan.only}` : ''
  const parameters = Object.entries(plan.parameters)
    .filter(([, value]) => value !== null)
    .map(([name, value]) => `${name} ${String(value)}`)
    .join(', ')
  return `for each of ${count(part.rows, 'row')}${slices}${only} in ${plan.environment}${parameters ? `, with ${parameters}` : ''}`
}

function columnsOf(
  plan: PlanAnswer,
  part: PlanAnswer['parts'][number],
  onPick: ((load: LoadRow) => void) | undefined,
): RowsColumn<LoadRow>[] {
  const own = (load: LoadRow) => load.part === part.index
  const columns: RowsColumn<LoadRow>[] = [
    {
      id: 'in', title: '', width: '34px',
      cell: (load) => <Checkbox checked={!load.left} disabled={!onPick} tabIndex={-1} onClick={(event) => event.stopPropagation()} onChange={() => onPick?.(load)} slotProps={{ input: { 'aria-label': `run ${load.key}` } }} sx={{ p: 0, '& svg': { fontSize: 17 } }} />,
    },
  ] // prettier-ignore
  // names first, then what is built from them; a row's columns that only repeat the key come last
  const { columns: differing } = part.differing
  differing.forEach((column, i) => {
    const mono = column.kind !== 'slice'
    columns.push({
      id: column.id,
      title: column.label,
      width:
        column.kind === 'slot'
          ? 'minmax(215px, 2fr)'
          : column.kind === 'row'
            ? 'minmax(150px, 1fr)'
            : 'minmax(92px, 0.6fr)',
      mono,
      cell: (load) =>
        own(load) ? load.cells[i] : i === 0 ? <span className="soft">once: {load.key}</span> : '',
      hint: (load) => (own(load) ? load.cells[i] : undefined),
    })
  })
  if (differing.length === 0)
    columns.push({ id: 'key', title: 'load', width: 'minmax(160px, 1fr)', cell: ({ key }) => key })
  columns.push({
    id: 'files', title: 'found', width: '116px', number: true,
    cell: ({ files }) => (files === null ? '' : files.names.length === 0 ? <span className="look">no file</span> : files.names.length > 1 ? `${files.names.length} files, ${bytesText(files.bytes)}` : bytesText(files.bytes)),
    hint: ({ files }) => files?.names.join(', '),
  }) // prettier-ignore
  columns.push({
    id: 'codes', title: '', width: 'minmax(110px, 1fr)',
    cell: ({ codes, left }) => {
      const stop = codes.some((code) => plan.findings.some((finding) => finding.code === code && finding.level === 'stop'))
      return <span className={left ? undefined : stop ? 'bad' : 'look'}>{left ? 'left out' : codes.join(', ')}</span>
    },
    hint: ({ codes }) => codes.join(', '),
  }) // prettier-ignore
  return columns
}
