import { Lines } from '../../kit/Lines'
import { TableBody, TableCell, TableRow } from '@mui/material'
import { useEffect, useState, type ReactElement } from 'react'
import { Link } from 'react-router'
import useSWR from 'swr'
import type { Answer } from '../../../contract/route'
import { routes } from '../../../contract/routes'
import { call, type ApiFault } from '../../data/api'
import { useMayEditRows } from '../../data/session'
import { count } from '../../look/times'
import { JobLines } from '../jobs/JobLines'
import { FaultBox } from '../../kit/Fault'
import type { Change, ControlAnswer } from './edits'

type JobEffect = Answer<typeof routes.controlEffect>[number]

/** What the unsaved edits would do: loads added, gone and changed in every job that reads the table. */
export function Effects({
  table,
  changes,
  faulty,
  environment,
}: {
  table: ControlAnswer
  changes: readonly Change[]
  faulty: number
  environment: string
}): ReactElement {
  const mayChange = useMayEditRows(table.where.connection === null, environment)
  const whole = changes.filter(({ faults }) => faults.length === 0).map(({ edit }) => edit)
  const edits = useSettled(JSON.stringify(whole))
  const { data, error, isValidating } = useSWR<JobEffect[], ApiFault>(
    edits === '[]' ? null : `effect ${table.name} ${environment} ${edits}`,
    () =>
      call(routes.controlEffect, {
        params: { name: table.name },
        query: { environment },
        body: { edits: JSON.parse(edits) as typeof whole },
      }),
    { keepPreviousData: true, revalidateOnFocus: false, shouldRetryOnError: false },
  )
  if (changes.length === 0 && !mayChange)
    return <span className="soft">This account may look at the rows, but not change them.</span>
  if (changes.length === 0)
    return (
      <span className="soft">
        Nothing is unsaved. Type in a cell, paste a block, drag a corner to fill down: what that does to the
        loads of {table.jobs.length > 0 ? table.jobs.join(', ') : 'every job that reads this table'} is shown
        here before you save.
      </span>
    )
  if (table.jobs.length === 0)
    return <span className="soft">No job reads this table yet, so that nothing but the table changes.</span>
  return (
    <>
      {faulty > 0 && (
        <p className="look" style={{ margin: '0 0 6px' }}>
          Without the {count(faulty, 'row')} that {faulty === 1 ? 'is' : 'are'} to be mended.
        </p>
      )}
      {error && <FaultBox error={error} />}
      {!data && !error && (
        <span className="soft">planning every job that reads the table, as it is and as it will be</span>
      )}
      {data && (
        <Lines style={{ opacity: isValidating ? 0.6 : 1 }}>
          <TableBody>
            {data.map((one) =>
              one.effect ? (
                <JobLines key={one.job} about={one} effect={one.effect} />
              ) : (
                <NotTold key={one.job} about={one} />
              ),
            )}
          </TableBody>
        </Lines>
      )}
    </>
  )
}

/** A value once it has not changed for a while, so that typing is not answered letter by letter. */
function useSettled(value: string): string {
  const [settled, setSettled] = useState(value)
  useEffect(() => {
    const timer = setTimeout(() => setSettled(value), 250)
    return () => clearTimeout(timer)
  }, [value])
  return settled
}

function NotTold({ about }: { about: JobEffect }): ReactElement {
  return (
    <TableRow>
      <TableCell className="keep look">not known</TableCell>
      <TableCell>
        <Link to={`/jobs/${about.job}`}>{about.title}</Link>: {about.fault}
      </TableCell>
    </TableRow>
  )
}
