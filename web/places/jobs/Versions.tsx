import type { ReactElement } from 'react'
import { Link } from 'react-router'
import { timeText } from '../../look/times'
import type { JobAnswer } from './answers'

/** Every version that was saved; none is ever changed. */
export function Versions({ job }: { job: JobAnswer }): ReactElement {
  return (
    <section className="sheet grow" aria-label="versions" style={{ overflow: 'auto' }}>
      <table className="plain">
        <thead>
          <tr>
            <th>version</th>
            <th>saved</th>
            <th>by</th>
            <th>message</th>
          </tr>
        </thead>
        <tbody>
          {job.versions.map((version) => (
            <tr
              key={version.version}
              style={version.version === job.version ? { background: 'var(--tint)' } : undefined}
            >
              <td>
                <Link to={`/jobs/${job.name}?version=${version.version}&view=text`}>{version.version}</Link>
              </td>
              <td>{timeText(version.at)}</td>
              <td>{version.by}</td>
              <td>{version.message}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  )
}
