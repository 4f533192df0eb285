import { Box } from '@mui/material'
import type { ReactElement } from 'react'
import { routes } from '../../../contract/routes'
import type { Answer } from '../../../contract/route'
import { useAnswer } from '../../data/api'
import { FaultBox } from '../../kit/Fault'
import { Table, type TableColumn } from '../../kit/Table'
import { numberText, timeText } from '../../look/times'

type Swept = Answer<typeof routes.swept>[number]

const columns: readonly TableColumn<Swept>[] = [
  { id: 'title', title: 'left behind', width: 'minmax(190px, 1fr)', cell: ({ title }) => title, value: ({ title }) => title },
  { id: 'says', title: 'by what', width: 'minmax(240px, 2fr)', cell: ({ says }) => <span className="soft">{says}</span>, value: ({ says }) => says },
  { id: 'total', title: 'taken away', width: '112px', number: true, cell: ({ total }) => numberText(total), value: ({ total }) => total },
  { id: 'last', title: 'last time', width: '104px', number: true, cell: ({ last, at }) => (at ? numberText(last) : ''), value: ({ last }) => last },
  { id: 'at', title: 'at', width: '116px', cell: ({ at }) => (at ? timeText(at) : 'never'), value: ({ at }) => at },
] // prettier-ignore

/** What was left behind by what ended in the middle; it is taken away by itself. */
export function LeftBehind(): ReactElement {
  const { data, error } = useAnswer(routes.swept, {}, { keepPreviousData: true })
  const total = data?.reduce((sum, one) => sum + one.total, 0) ?? 0
  return (
    <>
      <Box className="head" sx={{ mt: 2 }}>
        <h2>Left behind, and taken away</h2>
        <span className="soft">
          {!data ? '' : total === 0 ? 'nothing so far' : 'by what ended in the middle; none of it is missed'}
        </span>
      </Box>
      {error && !data && <FaultBox error={error} />}
      {data && total > 0 && (
        <div className="sheet flush rows">
          <Table label="left behind" columns={columns} rows={data} rowHeight={31} />
        </div>
      )}
    </>
  )
}
