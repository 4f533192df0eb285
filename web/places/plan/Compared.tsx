import { Views } from '../../kit/Views'
import { Lines } from '../../kit/Lines'
import { MenuItem, TableBody, TableCell, TableRow, TextField } from '@mui/material'
import { useCallback, useState, type ReactElement } from 'react'
import { useSearchParams } from 'react-router'
import type { Answer } from '../../../contract/route'
import { routes } from '../../../contract/routes'
import { call, useAnswer } from '../../data/api'
import { usePages } from '../../data/pages'
import { count, numberText, spanText, timeText } from '../../look/times'
import { Change } from '../catalog/Change'
import { Empty, FaultBox, Waiting } from '../../kit/Fault'
import { Table, type TableColumn } from '../../kit/Table'
import type { PlanAnswer } from './answers'
import { PlanOtherwise } from './PlanOtherwise'

type Other = Answer<typeof routes.otherPlans>[number]
type Changed = Answer<typeof routes.comparePlans>['changes'][number]
type Kind = 'changed' | 'added' | 'gone'

/** This plan held against another one of the job: loads added, gone, changed, and which texts change. */
export function Compared({
  plan,
  onOpen,
}: {
  plan: PlanAnswer
  onOpen: (number: number) => void
}): ReactElement {
  const [search, setSearch] = useSearchParams()
  const others = useAnswer(routes.otherPlans, { params: { id: plan.id } })
  if (others.error) return <FaultBox error={others.error} />
  if (!others.data) return <Waiting what="looking for other plans" />
  const like = others.data.find(({ id, environment }) => id < plan.id && environment === plan.environment)
  const chosen = Number(search.get('with') ?? like?.id ?? others.data[0]?.id ?? 0)
  const choose = (id: number) =>
    setSearch((now) => {
      const next = new URLSearchParams(now)
      next.set('with', String(id))
      return next
    })
  return (
    <div className="stack grow">
      <div className="line" style={{ flexWrap: 'wrap' }}>
        <TextField
          select
          label="held against"
          value={others.data.some(({ id }) => id === chosen) ? chosen : ''}
          onChange={(event) => choose(Number(event.target.value))}
          sx={{ minWidth: 360 }}
          slotProps={{ inputLabel: { shrink: true } }}
        >
          {others.data.map((other) => (
            <MenuItem key={other.id} value={other.id}>
              {wordsOf(other)}
            </MenuItem>
          ))}
        </TextField>
        <PlanOtherwise plan={plan} onMade={(id) => void others.mutate().then(() => choose(id))} />
      </div>
      {chosen === 0 ? (
        <Empty>
          This is the first plan of the job. Another version of it, or the control tables as they were, can be
          planned to compare.
        </Empty>
      ) : (
        <Differences key={chosen} plan={plan} other={chosen} onOpen={onOpen} />
      )}
    </div>
  )
}

const wordsOf = ({ id, version, environment, createdAt, by, span, only, loads }: Other): string =>
  `plan ${id}, version ${version}, ${environment}, ${count(loads, 'load')}${span ? `, ${spanText(span)}` : ''}${only ? `, only ${only}` : ''} · ${timeText(createdAt)}, ${by}`

function Differences({
  plan,
  other,
  onOpen,
}: {
  plan: PlanAnswer
  other: number
  onOpen: (number: number) => void
}): ReactElement {
  const { data, error } = useAnswer(routes.comparePlans, {
    params: { id: plan.id },
    query: { with: other, limit: 1 },
  })
  const [picked, setPicked] = useState<Kind>()
  if (error) return <FaultBox error={error} />
  if (!data) return <Waiting what={`comparing with plan ${other}`} />
  const kinds = (['changed', 'added', 'gone'] as const).filter((kind) => data[kind] > 0)
  const kind = picked ?? kinds[0]
  if (!kind) return <Empty>Nothing differs: {count(data.same, 'load')} in both, every text the same.</Empty>
  return (
    <>
      {data.texts.length > 0 && (
        <section
          className="sheet"
          aria-label="texts that change"
          style={{ flex: 'none', maxHeight: 170, overflow: 'auto' }}
          tabIndex={0}
        >
          <Lines>
            <TableBody>
              {data.texts.map((text) => (
                <TableRow key={`${text.step} ${text.path}`}>
                  <TableCell className="keep number">
                    <b>{numberText(text.count)}</b>
                  </TableCell>
                  <TableCell className="keep soft">
                    {text.step} · {text.label}
                  </TableCell>
                  <TableCell>
                    <span className="soft">such as</span> <Change before={text.before} after={text.after} />
                  </TableCell>
                </TableRow>
              ))}
            </TableBody>
          </Lines>
        </section>
      )}
      <section className="sheet rows grow" aria-label="loads that differ" style={{ minHeight: 200 }}>
        <div className="line" style={{ marginBottom: 6 }}>
          <Views
            label="which loads"
            value={kind}
            views={kinds.map((name) => [name, `${numberText(data[name])} ${name}`] as const)}
            onChange={setPicked}
          />
          <span className="soft">{numberText(data.same)} the same in both</span>
        </div>
        <ChangedLoads key={kind} plan={plan.id} other={other} kind={kind} onOpen={onOpen} />
      </section>
    </>
  )
}

const columns: readonly TableColumn<Changed>[] = [
  { id: 'key', title: 'load', width: 'minmax(180px, 0.8fr)', mono: true, cell: ({ key }) => key, hint: ({ key }) => key },
  {
    id: 'texts', title: '', width: 'minmax(320px, 2fr)',
    cell: ({ texts }) => texts.map((text) => (
      <span key={`${text.step} ${text.path}`} style={{ marginRight: 16 }}>
        <span className="soft">{text.label}</span> <Change before={text.before} after={text.after} />
      </span>
    )),
    hint: ({ texts }) => texts.map(({ label, before, after }) => `${label}: ${before ?? 'nothing'} → ${after ?? 'nothing'}`).join('\n'),
  },
] // prettier-ignore

function ChangedLoads({
  plan,
  other,
  kind,
  onOpen,
}: {
  plan: number
  other: number
  kind: Kind
  onOpen: (number: number) => void
}): ReactElement {
  const fetchPage = useCallback(
    async (offset: number, limit: number) => {
      const answer = await call(routes.comparePlans, {
        params: { id: plan },
        query: { with: other, kind, offset, limit },
      })
      return { total: answer[kind], rows: answer.changes }
    },
    [plan, other, kind],
  )
  const pages = usePages<Changed>(`/api/plans/${plan}/compare?${other}&${kind}`, fetchPage)
  if (pages.error) return <FaultBox error={pages.error} />
  return (
    <Table
      label={`loads ${kind}`}
      columns={columns}
      total={pages.total ?? 0}
      row={pages.row}
      onSeen={pages.onSeen}
      {...(kind === 'gone' ? {} : { onOpen: ({ number }: Changed) => onOpen(number) })}
    />
  )
}
