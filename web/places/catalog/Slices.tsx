import { useMemo, useState, type ReactElement } from 'react'
import { Link } from 'react-router'
import { routes } from '../../../contract/routes'
import { useAnswer } from '../../data/api'
import { useHere } from '../../data/session'
import { Empty, FaultBox, Waiting } from '../../kit/Fault'
import { CoveredRows } from '../coverage/CoveredRows'
import { linesOf } from '../coverage/lines'

const day = 86_400_000
/** Days of data that are looked at. */
const days = 60

/** Which slices of data a dataset has, by each row that is loaded into it. */
export function Slices({ id }: { readonly id: number }): ReactElement {
  const { environment } = useHere()
  const [last] = useState(() => Math.ceil(Date.now() / day) * day)
  const query = { from: new Date(last - days * day).toISOString(), until: new Date(last).toISOString() }
  const { data, error } = useAnswer(routes.datasetCoverage, { params: { id }, query }, { keepPreviousData: true, refreshInterval: 30_000 })
  const lines = useMemo(() => linesOf(data?.jobs ?? [], { by: '', gapsOnly: false, wanted: '' }), [data])
  if (error && !data) return <FaultBox error={error} />
  if (!data) return <Waiting what="reading what was loaded" />
  if (lines.length === 0)
    return (
      <section className="sheet">
        <Empty>
          No job loads it slice by slice. Where one does, each row that is loaded into it is drawn here along data time, as on <Link to="/coverage">Coverage</Link>.
        </Empty>
      </section>
    )
  return <CoveredRows lines={lines} from={last - days * day} until={Math.min(last, Date.parse(data.at))} zone={data.jobs[0]?.zone ?? 'UTC'} environment={environment} />
} // prettier-ignore
