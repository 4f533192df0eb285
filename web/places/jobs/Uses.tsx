import type { ReactElement } from 'react'
import { Link } from 'react-router'
import type { Answer } from '../../../contract/route'
import { routes } from '../../../contract/routes'
import { connectorOf } from '../../../core/connection/connection'
import { useAnswer } from '../../data/api'
import { useHere } from '../../data/session'
import { numberText, timeText } from '../../look/times'
import { FaultBox, Waiting } from '../../parts/Fault'

type Found = Answer<typeof routes.jobUses>
type Place = Found['places'][number]

/** What a job uses, and which jobs are fed by it or feed it, by what its loads really read and wrote. */
export function Uses({ job }: { job: string }): ReactElement {
  const { environment } = useHere()
  const { data, error } = useAnswer(routes.jobUses, { params: { name: job }, query: { environment } })
  if (error) return <FaultBox error={error} />
  if (!data) return <Waiting what="looking at what it uses" />
  const reads = data.places.filter(({ direction }) => direction === 'read')
  const writes = data.places.filter(({ direction }) => direction === 'write')
  return (
    <section className="sheet grow stack" aria-label="uses" style={{ overflow: 'auto' }} tabIndex={0}>
      <Places
        title="It reads"
        also="written by"
        places={reads}
        none={`nothing was read in ${environment} yet`}
      />
      <Places
        title="It writes"
        also="read by"
        places={writes}
        none={`nothing was written in ${environment} yet`}
      />
      <div>
        <h2>
          It names <small>in its document</small>
        </h2>
        <table className="plain">
          <tbody>
            {data.controls.map(({ name, jobs }) => (
              <tr key={name}>
                <th scope="row" style={{ width: 240 }}>
                  <Link className="mono" to={`/control/${name}`}>
                    {name}
                  </Link>
                </th>
                <td className="soft">a control table{jobs.length > 0 && ', which is looped over by '}</td>
                <td>
                  <JobLinks jobs={jobs} />
                </td>
              </tr>
            ))}
            {data.connections.map(({ name, kind }) => (
              <tr key={`${kind} ${name}`}>
                <th scope="row">
                  <Link className="mono" to={`/connections?open=${name}`}>
                    {name}
                  </Link>
                </th>
                <td className="soft">{connectorOf(kind).words}</td>
                <td />
              </tr>
            ))}
            {data.values.map((name) => (
              <tr key={name}>
                <th scope="row" className="mono">
                  env.{name}
                </th>
                <td className="soft">a value of the environment</td>
                <td />
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </section>
  )
}

function JobLinks({ jobs }: { jobs: readonly string[] }): ReactElement {
  return (
    <>
      {jobs.map((name, i) => (
        <span key={name}>
          {i > 0 && ', '}
          <Link to={`/jobs/${name}`}>{name}</Link>
        </span>
      ))}
    </>
  )
}

function Places({
  title,
  also,
  places,
  none,
}: {
  title: string
  also: string
  places: readonly Place[]
  none: string
}): ReactElement {
  return (
    <div>
      <h2>
        {title} <small>by its last loads</small>
      </h2>
      {places.length === 0 ? (
        <span className="soft">{none}</span>
      ) : (
        <table className="plain" style={{ tableLayout: 'fixed' }}>
          <thead>
            <tr>
              <th>dataset</th>
              <th style={{ width: 120 }}>connection</th>
              <th className="number" style={{ width: 110 }}>
                rows
              </th>
              <th style={{ width: 190 }}>last</th>
              <th>{also}</th>
            </tr>
          </thead>
          <tbody>
            {places.map((place) => (
              <tr key={`${place.connection} ${place.place} ${place.dataset?.id ?? ''}`}>
                <td className="mono">
                  {place.dataset ? (
                    <Link to={`/catalog/${place.dataset.id}`}>{place.dataset.name}</Link>
                  ) : (
                    place.place
                  )}
                </td>
                <td>{place.connection}</td>
                <td className="number">{numberText(place.rows)}</td>
                <td>
                  <Link to={`/runs/${place.run}`}>run {place.run}</Link>{' '}
                  <span className="soft">{timeText(place.at)}</span>
                </td>
                <td>
                  <JobLinks jobs={place.jobs} />
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </div>
  )
}
