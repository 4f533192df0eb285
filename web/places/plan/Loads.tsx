import { Button, TextField } from '@mui/material'
import { useCallback, useMemo, useState, type ReactElement } from 'react'
import { routes } from '../../../contract/routes'
import { call } from '../../data/api'
import { usePages } from '../../data/pages'
import { count, numberText } from '../../look/times'
import { Empty, FaultBox } from '../../kit/Fault'
import { Table } from '../../kit/Table'
import { columnsOf, firstHidden } from './columns'
import { LoadPanel } from './LoadPanel'
import type { LoadRow, PlanAnswer } from './answers'

interface Props {
  readonly plan: PlanAnswer
  readonly code: string
  readonly onCode: (code: string) => void
  readonly mayChange: boolean
  readonly opened: number | undefined
  readonly onOpen: (number: number) => void
  readonly leave: (body: {
    numbers?: number[]
    code?: string
    search?: string
    left: boolean
  }) => Promise<void>
  readonly onFault: (error: Error) => void
}

/** The loads, of which only what differs is shown; one of them open beside the list. */
export function Loads({
  plan,
  code,
  onCode,
  mayChange,
  opened,
  onOpen,
  leave,
  onFault,
}: Props): ReactElement {
  const [text, setText] = useState('')
  const hidden = useMemo(() => [...firstHidden(plan)], [plan])
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
  const [main] = [...plan.parts.filter((part) => part.each), ...plan.parts]
  const change = useCallback(
    (body: Parameters<typeof leave>[0]) => void leave(body).then(() => refresh(), onFault),
    [leave, refresh, onFault],
  )
  const pick = useCallback((load: LoadRow) => change({ numbers: [load.number], left: !load.left }), [change])
  const columns = useMemo(
    () => (main ? columnsOf(plan, main, mayChange ? pick : undefined) : []),
    [plan, main, mayChange, pick],
  )
  const filtered = code !== '' || text !== ''
  return (
    <div
      className="grow beside"
      style={{
        minHeight: 240,
        gridTemplateColumns: opened === undefined ? 'minmax(0, 1fr)' : 'minmax(0, 1.5fr) minmax(320px, 1fr)',
      }}
    >
      <section className="sheet rows grow" aria-labelledby="loads">
        <div className="line" style={{ marginBottom: 4, flexWrap: 'wrap' }}>
          <h2 id="loads" style={{ margin: 0 }}>
            {pages.total === undefined || !filtered
              ? count(plan.loads, 'load')
              : `${numberText(pages.total)} of ${count(plan.loads, 'load')}`}
            <small>
              {plan.left > 0 && `${numberText(plan.left)} left out · `}
              only what differs is shown
            </small>
          </h2>
          <span className="line" style={{ marginLeft: 'auto' }}>
            {mayChange && plan.left > 0 && (
              <Button onClick={() => change({ left: false })}>Take all in</Button>
            )}
            {mayChange && filtered && (
              <Button
                onClick={() => change({ code: code || undefined, search: text || undefined, left: true })}
              >
                Leave these out
              </Button>
            )}
            {code !== '' && <Button onClick={() => onCode('')}>Show all</Button>}
            <TextField
              placeholder="find in the loads"
              value={text}
              onChange={(event) => setText(event.target.value)}
              sx={{ width: 150 }}
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
        <Table
          label="loads of the plan"
          settings={`loads of ${plan.job}`}
          hiddenAtFirst={hidden}
          columns={columns}
          total={pages.total ?? 0}
          row={pages.row}
          onSeen={pages.onSeen}
          onOpen={(load) => onOpen(load.number)}
          onPick={mayChange ? pick : undefined}
          faded={({ left }) => left}
          empty={
            pages.total === 0 && (
              <Empty>
                {filtered ? 'No load fits.' : 'The plan has no loads: the roster or the span is empty.'}
              </Empty>
            )
          }
        />
      </section>
      {opened !== undefined && (
        <LoadPanel key={opened} plan={plan.id} number={opened} onClose={() => onOpen(opened)} />
      )}
    </div>
  )
}
