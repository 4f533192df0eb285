import { Lines } from '../../kit/Lines'
import { TableBody, TableCell, TableHead, TableRow } from '@mui/material'
import type { ReactElement } from 'react'
import { Link } from 'react-router'
import type { Answer } from '../../../contract/route'
import { routes } from '../../../contract/routes'
import { connectorOf } from '../../../core/connection/connection'
import { useAnswer } from '../../data/api'
import { useHere } from '../../data/session'
import { numberText, timeText } from '../../look/times'
import { FaultBox, Waiting } from '../../kit/Fault'

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
        <Lines>
          <TableBody>
            {data.controls.map(({ name, jobs }) => (
              <TableRow key={name}>
                <TableCell component="th" scope="row" style={{ width: 240 }}>
                  <Link className="mono" to={`/control/${name}`}>
                    {name}
                  </Link>
                </TableCell>
                <TableCell className="soft">
                  a control table{jobs.length > 0 && ', which is looped over by '}
                </TableCell>
                <TableCell>
                  <JobLinks jobs={jobs} />
                </TableCell>
              </TableRow>
            ))}
            {data.connections.map(({ name, kind }) => (
              <TableRow key={`${kind} ${name}`}>
                <TableCell component="th" scope="row">
                  <Link className="mono" to={`/connections?open=${name}`}>
                    {name}
                  </Link>
                </TableCell>
                <TableCell className="soft">{connectorOf(kind).words}</TableCell>
                <TableCell />
              </TableRow>
            ))}
            {data.values.map((name) => (
              <TableRow key={name}>
                <TableCell component="th" scope="row" className="mono">
                  env.{name}
                </TableCell>
                <TableCell className="soft">a value of the environment</TableCell>
                <TableCell />
              </TableRow>
            ))}
          </TableBody>
        </Lines>
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
        <Lines fixed>
          <TableHead>
            <TableRow>
              <TableCell>dataset</TableCell>
              <TableCell style={{ width: 120 }}>connection</TableCell>
              <TableCell className="number" style={{ width: 110 }}>
                rows
              </TableCell>
              <TableCell style={{ width: 190 }}>last</TableCell>
              <TableCell>{also}</TableCell>
            </TableRow>
          </TableHead>
          <TableBody>
            {places.map((place) => (
              <TableRow key={`${place.connection} ${place.place} ${place.dataset?.id ?? ''}`}>
                <TableCell className="mono">
                  {place.dataset ? (
                    <Link to={`/catalog/${place.dataset.id}`}>{place.dataset.name}</Link>
                  ) : (
                    place.place
                  )}
                </TableCell>
                <TableCell>{place.connection}</TableCell>
                <TableCell className="number">{numberText(place.rows)}</TableCell>
                <TableCell>
                  <Link to={`/runs/${place.run}`}>run {place.run}</Link>{' '}
                  <span className="soft">{timeText(place.at)}</span>
                </TableCell>
                <TableCell>
                  <JobLinks jobs={place.jobs} />
                </TableCell>
              </TableRow>
            ))}
          </TableBody>
        </Lines>
      )}
    </div>
  )
}
