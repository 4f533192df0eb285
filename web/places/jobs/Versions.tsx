import { Lines } from '../../kit/Lines'
import { TableBody, TableCell, TableHead, TableRow } from '@mui/material'
import type { ReactElement } from 'react'
import { Link } from 'react-router'
import { timeText } from '../../look/times'
import type { JobAnswer } from './answers'
import { PutVersion } from './RunsHere'

/** Every version that was saved; none is ever changed. One of them runs in each environment. */
export function Versions({ job, onPut }: { job: JobAnswer; onPut: () => void }): ReactElement {
  const runsIn = (version: number) => job.runsIn.filter((one) => one.version === version)
  return (
    <section className="sheet grow" aria-label="versions" style={{ overflow: 'auto' }}>
      <Lines>
        <TableHead>
          <TableRow>
            <TableCell>version</TableCell>
            <TableCell>saved</TableCell>
            <TableCell>by</TableCell>
            <TableCell>message</TableCell>
            <TableCell>runs in</TableCell>
            <TableCell />
          </TableRow>
        </TableHead>
        <TableBody>
          {job.versions.map((version) => (
            <TableRow
              key={version.version}
              style={version.version === job.version ? { background: 'var(--tint)' } : undefined}
            >
              <TableCell>
                <Link to={`/jobs/${job.name}?version=${version.version}&view=text`}>{version.version}</Link>
              </TableCell>
              <TableCell>{timeText(version.at)}</TableCell>
              <TableCell>{version.by}</TableCell>
              <TableCell>{version.message}</TableCell>
              <TableCell>
                <span className="line" style={{ gap: 4 }}>
                  {runsIn(version.version).map(({ environment, by, at }) => (
                    <span key={environment} className="tag" title={`put there by ${by}, ${timeText(at)}`}>
                      {environment}
                    </span>
                  ))}
                </span>
              </TableCell>
              <TableCell align="right">
                <PutVersion job={job} version={version.version} onPut={onPut} />
              </TableCell>
            </TableRow>
          ))}
        </TableBody>
      </Lines>
    </section>
  )
}
