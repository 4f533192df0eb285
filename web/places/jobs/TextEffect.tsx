import { Lines } from '../../kit/Lines'
import { TableBody, TableCell, TableRow } from '@mui/material'
import { useEffect, useState, type ReactElement } from 'react'
import useSWR from 'swr'
import type { Answer } from '../../../contract/route'
import { routes } from '../../../contract/routes'
import { call, type ApiFault } from '../../data/api'
import { numberText, timeText } from '../../look/times'
import { JobLines } from './JobLines'

type JobEffect = Answer<typeof routes.jobEffect>

/** What the changed text would do to the loads of the job, before it is saved. */
export function TextEffect({
  job,
  text,
  broken,
  environment,
}: {
  job: string
  text: string
  /** It cannot be read just now: what is shown stays until it can. */
  broken: boolean
  environment: string
}): ReactElement {
  const [asked, setAsked] = useState(text)
  useEffect(() => {
    if (broken) return
    const timer = setTimeout(() => setAsked(text), 500)
    return () => clearTimeout(timer)
  }, [text, broken])
  const { data, error } = useSWR<JobEffect, ApiFault>(
    `job effect ${job} ${environment} ${asked}`,
    () => call(routes.jobEffect, { params: { name: job }, body: { text: asked, environment } }),
    { keepPreviousData: true, revalidateOnFocus: false, shouldRetryOnError: false },
  )
  return (
    <section
      className="sheet"
      aria-label="what the changes do"
      aria-busy={broken}
      title={broken ? 'of the last text that could be read' : undefined}
      style={{ flex: 'none', maxHeight: 132, overflow: 'auto', padding: '6px 14px' }}
      tabIndex={0}
    >
      {error && <span className="soft">what this does is known once the text can be read</span>}
      {!data && !error && <span className="soft">planning it as it is and as it will be</span>}
      {data?.cut && !error && <Cut cut={data.cut} environment={environment} />}
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

/** What the new rule makes of the slices that were loaded: history stays, but may no longer be that of whole slices. */
function Cut({
  cut: { loaded, stay, parted, cut, outside, fresh, example },
  environment,
}: {
  cut: NonNullable<JobEffect['cut']>
  environment: string
}): ReactElement {
  const said = [
    stay > 0 && `${numberText(stay)} stay as they are`,
    parted > 0 && `${numberText(parted)} are made up of whole new ones`,
    cut > 0 && `${numberText(cut)} are cut across`,
    outside > 0 && `${numberText(outside)} are in none`,
  ].filter(Boolean)
  return (
    <p style={{ margin: '0 0 4px' }}>
      <b>slices</b>{' '}
      {loaded === 0
        ? `none is loaded in ${environment} yet`
        : `of ${numberText(loaded)} loaded in ${environment} ${said.join(', ')}`}
      ; {fresh === null ? 'more than 100,000' : numberText(fresh)} are new.
      {example && (
        <span className="look">
          {' '}
          {timeText(example.loaded.from)} to {timeText(example.loaded.to)} would meet{' '}
          {example.meets.map(({ from, to }) => `${timeText(from)} to ${timeText(to)}`).join(' and ')}.
        </span>
      )}
      {loaded > 0 && <span className="soft"> What was loaded stays on record as it is.</span>}
    </p>
  )
}
