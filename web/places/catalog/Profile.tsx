import { Button } from '@mui/material'
import type { ReactElement } from 'react'
import { Bar, BarChart, YAxis } from 'recharts'
import { lengthText, numberText, timeText } from '../../look/times'
import { Empty, FaultBox } from '../../kit/Fault'
import { Table, type TableColumn } from '../../kit/Table'
import type { DatasetData } from './answers'

type Column = NonNullable<DatasetData['profile']>['columns'][number]

const short = (value: number): string =>
  Number.isInteger(value)
    ? numberText(value)
    : Number(value.toPrecision(6)).toLocaleString('en', { maximumFractionDigits: 6 })

/** What its values are, column by column, over every row. */
export default function Profile({
  data,
  onAsk,
}: {
  data: DatasetData
  onAsk: (exact: boolean) => void
}): ReactElement {
  const { profile } = data
  const under = profile && ['waiting', 'running'].includes(profile.state)
  const seconds = profile?.startedAt
    ? (Date.parse(profile.endedAt ?? new Date().toISOString()) - Date.parse(profile.startedAt)) / 1000
    : 0
  const rows = profile?.rows ?? 0
  const columns: readonly TableColumn<Column>[] = [
    { id: 'name', title: 'column', width: 'minmax(96px, 1fr)', mono: true, cell: ({ name }) => data.columns.find(({ source }) => source === name)?.name ?? name, hint: ({ name }) => name },
    { id: 'shape', title: 'shape', width: '140px', cell: (column) => <Shape column={column} rows={rows} /> },
    { id: 'nulls', title: 'missing', width: '66px', number: true, cell: ({ nulls }) => (nulls === 0 ? <span className="soft">none</span> : `${share(nulls, rows)} %`), hint: ({ nulls }) => `${numberText(nulls)} of ${numberText(rows)}` },
    { id: 'distinct', title: 'different', width: '92px', number: true, cell: ({ distinct, nulls, estimated }) => (estimated ? `≈ ${numberText(distinct)}` : distinct > 1 && distinct === rows - nulls ? 'all' : numberText(distinct)), hint: ({ distinct, estimated }) => `${numberText(distinct)}${estimated ? ', estimated within some percent' : ''}` },
    { id: 'range', title: 'from … to', width: 'minmax(130px, 1.2fr)', mono: true, cell: ({ min, max }) => (min === null ? '' : `${cut(min)} … ${cut(max ?? '')}`), hint: ({ min, max }) => `${min} … ${max}` },
    { id: 'mean', title: 'mean ± deviation', width: '128px', number: true, cell: ({ mean, deviation }) => (mean === null ? '' : `${short(mean)} ± ${short(deviation ?? 0)}`) },
    { id: 'common', title: 'commonest', width: 'minmax(96px, 1.1fr)', cell: ({ common, distinct }) => common.length > 0 && distinct < rows ? common.slice(0, 3).map(({ value, count }) => `${cut(value)} ${share(count, rows)} %`).join(', ') : '', hint: ({ common }) => common.map(({ value, count }) => `${value}: ${numberText(count)}`).join('\n') },
  ] // prettier-ignore
  return (
    <>
      <div className="line">
        {profile?.state === 'done' && (
          <span className="soft">
            over all {numberText(rows)} rows, {timeText(profile.endedAt!)}, in {lengthText(seconds)}
          </span>
        )}
        {under && (
          <span role="status">
            {profile.state === 'waiting'
              ? 'waiting for a worker'
              : `reading every row, for ${lengthText(Math.max(0.1, seconds))} so far`}
          </span>
        )}
        <span className="line" style={{ marginLeft: 'auto' }}>
          {profile?.state === 'done' && profile.columns.some(({ estimated }) => estimated) && (
            <Button
              variant="text"
              onClick={() => onAsk(true)}
              title="numbers of different values (≈) are estimated; this counts them, which takes longer"
            >
              Count them exactly
            </Button>
          )}
          <Button onClick={() => onAsk(false)} disabled={under ?? false}>
            {profile ? 'Profile it again' : 'Profile it'}
          </Button>
        </span>
      </div>
      {profile?.state === 'failed' && (
        <FaultBox error={new Error(`It could not be profiled: ${profile.fault}`)} />
      )}
      <div className="sheet flush rows grow">
        <Table
          label="profile"
          columns={columns}
          total={profile?.columns.length ?? 0}
          row={(i) => profile?.columns[i]}
          rowHeight={44}
          empty={
            !under && (
              <Empty>
                A profile reads every row and says of each column what is missing, how many values differ, and
                how they lie. A worker makes it.
              </Empty>
            )
          }
        />
      </div>
    </>
  )
}

const cut = (text: string): string => (text.length > 22 ? `${text.slice(0, 21)}…` : text)
const share = (part: number, whole: number): string => {
  const percent = (100 * part) / Math.max(1, whole)
  return percent > 0 && percent < 0.1 ? '<0.1' : percent.toFixed(1).replace(/\.0$/, '')
}

/** How the values lie: twenty bins where they can be measured, else the commonest against all. */
function Shape({ column, rows }: { column: Column; rows: number }): ReactElement | null {
  const { bins, common } = column
  const drawn =
    bins.length > 0
      ? bins.map(({ from, count }) => ({ name: from, count }))
      : common.map(({ value, count }) => ({ name: value, count }))
  if (drawn.length === 0 || (bins.length === 0 && column.distinct >= rows * 0.9)) return null
  return (
    <span
      role="img"
      aria-label={
        bins.length > 0
          ? `${drawn.length} bins from ${bins[0]!.from}`
          : `the ${drawn.length} commonest values`
      }
    >
      <BarChart
        width={134}
        height={36}
        data={drawn}
        barCategoryGap={bins.length > 0 ? 1 : 4}
        margin={{ top: 4, right: 0, bottom: 0, left: 0 }}
        tabIndex={-1}
        accessibilityLayer={false}
      >
        <YAxis hide domain={[0, 'dataMax']} />
        <Bar
          dataKey="count"
          fill={bins.length > 0 ? 'var(--slate)' : 'var(--slate2)'}
          isAnimationActive={false}
          maxBarSize={18}
        />
      </BarChart>
    </span>
  )
}
