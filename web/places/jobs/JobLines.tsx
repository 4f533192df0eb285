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
      <tr>
        <td className="keep soft">nothing</td>
        <td>
          {title}
          <span className="soft">all {count(same, 'load')} stay as they are</span>
        </td>
      </tr>
    )
  return (
    <>
      {added > 0 && (
        <tr>
          <td className="keep">
            <b>{count(added, 'load')} more</b>
          </td>
          <td>
            {title}
            <span className="mono">{some(effect.addedKeys, added)}</span>
          </td>
        </tr>
      )}
      {gone > 0 && (
        <tr>
          <td className="keep">
            <b>{count(gone, 'load')} fewer</b>
          </td>
          <td>
            {title}
            <span className="mono">{some(effect.goneKeys, gone)}</span>
          </td>
        </tr>
      )}
      {changed > 0 && (
        <tr>
          <td className="keep">
            <b>
              {count(changed, 'load')} {changed === 1 ? 'changes' : 'change'}
            </b>
          </td>
          <td>
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
          </td>
        </tr>
      )}
      {come.map((finding) => (
        <tr key={`come ${finding.code} ${finding.message}`}>
          <td className={finding.level === 'stop' ? 'keep bad' : 'keep look'}>
            <b>{finding.level === 'stop' ? 'stops the run' : finding.level}</b>
          </td>
          <td>
            {title}
            {finding.message} <span className="mono soft">{finding.code}</span>
          </td>
        </tr>
      ))}
      {go.map((finding) => (
        <tr key={`go ${finding.code} ${finding.message}`}>
          <td className="keep good">
            <b>solved</b>
          </td>
          <td>
            {title}
            <span className="soft">{finding.message}</span> <span className="mono soft">{finding.code}</span>
          </td>
        </tr>
      ))}
    </>
  )
}
