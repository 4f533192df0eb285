import { Button } from '@mui/material'
import { useState, type ReactElement } from 'react'
import { routes } from '../../../contract/routes'
import { call, useAnswer } from '../../data/api'
import { useMay } from '../../data/session'
import { Confirm } from '../../kit/Confirm'
import { FaultBox, Waiting } from '../../kit/Fault'
import { say } from '../../kit/Notice'
import { Table, type TableColumn } from '../../kit/Table'
import { bytesText, numberText, timeText } from '../../look/times'
import { DaysForm } from './DaysForm'
import { daysText, type Kept } from './kept'
import { LeftBehind } from './LeftBehind'

const columnsOf = (onSet: ((kind: Kept['kind']) => void) | undefined): readonly TableColumn<Kept>[] => [
  { id: 'title', title: 'what', width: 'minmax(190px, 1fr)', cell: ({ title }) => title, value: ({ title }) => title },
  { id: 'says', title: 'with it goes', width: 'minmax(240px, 2fr)', cell: ({ says }) => <span className="soft">{says}</span>, value: ({ says }) => says },
  { id: 'count', title: 'there are', width: '96px', number: true, cell: (kept) => numberText(kept.count), value: (kept) => kept.count },
  { id: 'bytes', title: 'size', width: '80px', number: true, cell: ({ bytes }) => bytesText(bytes), value: ({ bytes }) => bytes },
  { id: 'oldest', title: 'since', width: '116px', cell: ({ oldest }) => (oldest ? timeText(oldest) : ''), value: ({ oldest }) => oldest },
  { id: 'goes', title: 'goes next', width: '100px', number: true, cell: ({ goes }) => (goes > 0 ? <span className="look">{numberText(goes)}</span> : ''), value: ({ goes }) => goes },
  { id: 'days', title: 'kept for', width: '124px', cell: ({ kind, title, days }) => (onSet ? <Button variant="text" aria-label={`keep ${title} for`} onClick={() => onSet(kind)}>{daysText(days)}</Button> : daysText(days)), value: ({ days }) => days },
] // prettier-ignore

/** How much there is of all that Mattock records by itself, how long it is kept, and what goes next. */
export default function Keeping(): ReactElement {
  const mayChange = useMay('house')
  const { data, error, mutate } = useAnswer(routes.kept, {}, { keepPreviousData: true })
  const [chosen, setChosen] = useState<Kept['kind']>()
  const [asking, setAsking] = useState(false)
  if (error && !data) return <FaultBox error={error} />
  if (!data) return <Waiting what="counting what is kept" />
  const columns = columnsOf(mayChange ? setChosen : undefined)
  const open = data.find(({ kind }) => kind === chosen)
  const going = data.filter(({ goes }) => goes > 0)
  const bytes = data.reduce((sum, one) => sum + one.bytes, 0)
  return (
    <>
      <div className="head">
        <h1>What is kept</h1>
        <span className="soft">
          {bytesText(bytes)} in all; what is older than it is to be kept goes once an hour
        </span>
        {mayChange && (
          <div className="actions">
            <Button disabled={going.length === 0} onClick={() => setAsking(true)}>
              Take away now
            </Button>
          </div>
        )}
      </div>
      <div className="sheet flush grow rows">
        <Table
          label="what is kept"
          columns={columns}
          rows={data}
          rowHeight={31}
          {...(mayChange ? { onOpen: ({ kind }: Kept) => setChosen(kind) } : {})}
        />
      </div>
      <LeftBehind />
      {open && (
        <DaysForm
          key={open.kind}
          kept={open}
          onClose={(changed) => {
            setChosen(undefined)
            if (changed) void mutate()
          }}
        />
      )}
      {asking && (
        <Confirm
          title="Take away what is older than it is to be kept?"
          yes="Take it away"
          onNo={() => setAsking(false)}
          onYes={async () => {
            await call(routes.tidy)
            setAsking(false)
            say('A worker takes it away; the numbers follow')
          }}
        >
          {going.map(({ kind, title, goes, days }) => (
            <p key={kind}>
              {title}: {numberText(goes)} older than {daysText(days)}
            </p>
          ))}
          <p>It cannot be brought back.</p>
        </Confirm>
      )}
    </>
  )
}
