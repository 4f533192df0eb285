import { Lines } from '../../kit/Lines'
import { TableBody, TableCell, TableRow } from '@mui/material'
import { useEffect, useState, type ReactElement } from 'react'
import useSWR from 'swr'
import type { Answer } from '../../../contract/route'
import { routes } from '../../../contract/routes'
import { call, type ApiFault } from '../../data/api'
import { JobLines } from './JobLines'

type JobEffect = Answer<typeof routes.jobEffect>

/** What the changed text would do to the loads of the job, before it is saved. */
export function TextEffect({
  job,
  text,
  environment,
}: {
  job: string
  text: string
  environment: string
}): ReactElement {
  const [asked, setAsked] = useState(text)
  useEffect(() => {
    const timer = setTimeout(() => setAsked(text), 500)
    return () => clearTimeout(timer)
  }, [text])
  const { data, error } = useSWR<JobEffect, ApiFault>(
    `job effect ${job} ${environment} ${asked}`,
    () => call(routes.jobEffect, { params: { name: job }, body: { text: asked, environment } }),
    { keepPreviousData: true, revalidateOnFocus: false, shouldRetryOnError: false },
  )
  return (
    <section
      className="sheet"
      aria-label="what the changes do"
      style={{ flex: 'none', maxHeight: 132, overflow: 'auto', padding: '6px 14px' }}
      tabIndex={0}
    >
      {error && <span className="soft">what this does is known once the text can be read</span>}
      {!data && !error && <span className="soft">planning it as it is and as it will be</span>}
      {data && !error && (
        <Lines>
          <TableBody>
            {data.effect ? (
              <JobLines about={data} effect={data.effect} />
            ) : (
              <TableRow>
                <TableCell className="look">{data.fault}</TableCell>
              </TableRow>
            )}
          </TableBody>
        </Lines>
      )}
    </section>
  )
}
