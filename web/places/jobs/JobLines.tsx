import { TableCell, TableRow } from '@mui/material'
import type { ReactElement } from 'react'
import { Link } from 'react-router'
import type { Answer } from '../../../contract/route'
import type { routes } from '../../../contract/routes'
import { count, numberText } from '../../look/times'
import { Change as ChangeText } from '../catalog/Change'

type JobEffect = Answer<typeof routes.jobEffect>
type Effect = NonNullable<JobEffect['effect']>

const some = (keys: readonly string[], all: number): string =>
  keys.slice(0, 5).join(', ') + (all > 5 ? ` and ${numberText(all - 5)} more` : '')

/** What a change does to one job, in lines of a table. */
export function JobLines({ about, effect }: { about: JobEffect; effect: Effect }): ReactElement {
  const title = (
    <>
      <Link to={`/jobs/${about.job}`}>{about.title}</Link>
      {about.slices && <span className="soft"> {about.slices}</span>}:{' '}
    </>
  )
  const { added, gone, changed, same, texts, come, go } = effect
  if (added + gone + changed + come.length + go.length === 0)
    return (
      <TableRow>
        <TableCell className="keep soft">nothing</TableCell>
        <TableCell>
          {title}
          <span className="soft">all {count(same, 'load')} stay as they are</span>
        </TableCell>
      </TableRow>
    )
  return (
    <>
      {added > 0 && (
        <TableRow>
          <TableCell className="keep">
            <b>{count(added, 'load')} more</b>
          </TableCell>
          <TableCell>
            {title}
            <span className="mono">{some(effect.addedKeys, added)}</span>
          </TableCell>
        </TableRow>
      )}
      {gone > 0 && (
        <TableRow>
          <TableCell className="keep">
            <b>{count(gone, 'load')} fewer</b>
          </TableCell>
          <TableCell>
            {title}
            <span className="mono">{some(effect.goneKeys, gone)}</span>
          </TableCell>
        </TableRow>
      )}
      {changed > 0 && (
        <TableRow>
          <TableCell className="keep">
            <b>
              {count(changed, 'load')} {changed === 1 ? 'changes' : 'change'}
            </b>
          </TableCell>
          <TableCell>
            {title}
            {changed <= 3
              ? effect.changes.map(({ key, texts: own }) => (
                  <div key={key}>
                    <span className="mono">{key}</span>{' '}
                    {own.map((text) => (
                      <span key={`${text.step} ${text.path}`} style={{ marginRight: 12 }}>
                        <span className="soft">{text.label}</span>{' '}
                        <ChangeText before={text.before} after={text.after} />
                      </span>
                    ))}
                  </div>
                ))
              : texts.map((text) => (
                  <div key={`${text.step} ${text.path}`}>
                    <span className="soft">
                      {text.label} in {numberText(text.count)}, such as
                    </span>{' '}
                    <ChangeText before={text.before} after={text.after} />
                  </div>
                ))}
          </TableCell>
        </TableRow>
      )}
      {come.map((finding) => (
        <TableRow key={`come ${finding.code} ${finding.message}`}>
          <TableCell className={finding.level === 'stop' ? 'keep bad' : 'keep look'}>
            <b>{finding.level === 'stop' ? 'stops the run' : finding.level}</b>
          </TableCell>
          <TableCell>
            {title}
            {finding.message} <span className="mono soft">{finding.code}</span>
          </TableCell>
        </TableRow>
      ))}
      {go.map((finding) => (
        <TableRow key={`go ${finding.code} ${finding.message}`}>
          <TableCell className="keep good">
            <b>solved</b>
          </TableCell>
          <TableCell>
            {title}
            <span className="soft">{finding.message}</span> <span className="mono soft">{finding.code}</span>
          </TableCell>
        </TableRow>
      ))}
    </>
  )
}
