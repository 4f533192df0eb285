import { Button } from '@mui/material'
import { useEffect, useState, type ReactElement } from 'react'
import type { Answer } from '../../../contract/route'
import { routes } from '../../../contract/routes'
import { fieldsOf } from '../../../core/field/field'
import { jobSchema } from '../../../core/job/document'
import type { Fault } from '../../../core/fault'
import { setAt, valueAt, type Path } from '../../../core/job/editText'
import { startSchema } from '../../../core/job/starts'
import { ApiFault, call } from '../../data/api'
import { useHere } from '../../data/session'
import { Empty, FaultBox } from '../../kit/Fault'
import type { FieldFrame } from '../../kit/fields/frame'
import { FieldControl, FieldFault, SchemaFields } from '../../kit/fields/SchemaFields'
import { TakeAway } from '../../kit/TakeAway'
import { CallKey } from './CallKey'
import { clock } from '../../look/times'
import { formed } from './formed'

type Preview = Answer<typeof routes.previewStarts>['starts'][number]
type RawStart = Readonly<Record<string, unknown>> & { readonly id?: string }

const dueField = fieldsOf(jobSchema).find(({ key }) => key === 'due')!

/** What makes the runs of a job begin by themselves: each as a form, in words, and the times at which it comes next. */
export function StartsForm({
  text,
  jobs,
  locked,
  faults,
  onText,
}: {
  readonly text: string
  /** Names of all jobs, for completion. */
  readonly jobs: readonly string[]
  readonly locked: boolean
  readonly faults: readonly Fault[]
  readonly onText: (text: string, typed?: boolean) => void
}): ReactElement {
  const { environment } = useHere()
  const [previews, setPreviews] = useState<readonly Preview[]>([])
  const [fault, setFault] = useState<Error>()
  const broken = faults.length > 0
  useEffect(() => {
    if (broken) return
    let stale = false
    const timer = setTimeout(() => {
      call(routes.previewStarts, { body: { text, environment } }).then(
        ({ starts }) => {
          if (stale) return
          setPreviews(starts)
          setFault(undefined)
        },
        // what is wrong with the document is said where it is checked
        (error: Error) => !stale && setFault(error instanceof ApiFault && error.faults.length > 0 ? undefined : error),
      )
    }, 200)
    return () => {
      stale = true
      clearTimeout(timer)
    }
  }, [text, environment, broken])
  const starts = (valueAt(text, ['starts']) ?? []) as readonly RawStart[]
  const jobName = String(valueAt(text, ['name']) ?? '')
  const set = (path: Path, value: unknown) => onText(setAt(text, path, value), true)
  const frame: FieldFrame = {
    locked,
    expressions: [],
    offers: (names) => (names === 'job' ? jobs : []),
    ...formed(text, [], faults, onText),
  }
  const add = () => {
    const ids = new Set(starts.map(({ id }) => id))
    let id = 'start'
    for (let n = 2; ids.has(id); n++) id = `start-${n}`
    onText(setAt(text, ['starts'], [...starts, { id, clock: { cron: '30 5 * * *' } }]))
  }
  return (
    <section className="sheet stack" aria-label="starts" style={{ overflow: 'auto' }} tabIndex={0}>
      <div className="form-rows" style={{ flex: 'none' }}>
        <span className="label" title={dueField.says}>
          due
        </span>
        <div>
          <FieldControl
            field={dueField}
            path={['due']}
            said="due"
            value={valueAt(text, ['due'])}
            frame={frame}
            onChange={(value) => set(['due'], value === '' ? undefined : value)}
          />
          <FieldFault frame={frame} path={['due']} />
        </div>
      </div>
      {starts.length === 0 && (
        <Empty>
          Its runs are begun by hand. A start begins them by itself: by the clock, when a slice is over, when another
          job has ended, when what it reads was refreshed, when its files arrive, or when another program calls.
        </Empty>
      )}
      {starts.map((start, at) => (
        <div key={at} style={{ borderTop: '1px solid var(--rule)', paddingTop: 10, flex: 'none' }}>
          <div className="line">
            <b className="mono">{start.id}</b>
            <span>{previews.find(({ id }) => id === start.id)?.text}</span>
            {!locked && (
              <span style={{ marginLeft: 'auto' }}>
                <TakeAway
                  onClick={() =>
                    onText(setAt(text, ['starts'], starts.length === 1 ? undefined : starts.filter((one) => one !== start)))
                  }
                />
              </span>
            )}
          </div>
          <SchemaFields
            schema={startSchema}
            path={['starts', at]}
            said={`start ${start.id}`}
            value={start}
            frame={frame}
            onChange={(value) => set(['starts', at], value)}
          />
          <Next preview={previews.find(({ id }) => id === start.id)} />
          <Beside kind={previews.find(({ id }) => id === start.id)?.kind} job={jobName} start={start.id ?? ''} />
        </div>
      ))}
      {fault && <FaultBox error={fault} />}
      {!locked && (
        <div>
          <Button onClick={add}>Add a start</Button>
        </div>
      )}
    </section>
  )
} // prettier-ignore

/** What stands beside the fields of a kind of start, where that is more than what it is given. */
const besides: Readonly<
  Record<string, (props: { readonly job: string; readonly start: string }) => ReactElement | null>
> = { called: CallKey }

function Beside({ kind = '', ...given }: { readonly kind: string | undefined; readonly job: string; readonly start: string }): ReactElement | null {
  const Own = besides[kind]
  return Own ? <Own {...given} /> : null
} // prettier-ignore

const day = (iso: string, zone: string): string =>
  new Date(iso).toLocaleDateString('en-GB', {
    weekday: 'short',
    day: 'numeric',
    month: 'short',
    timeZone: zone,
  })

/** The next times of a start, in its own zone, changes of the clock marked; or what it waits for, and what is wrong with that. */
function Next({ preview }: { readonly preview: Preview | undefined }): ReactElement | null {
  if (!preview) return null
  const { next, zone, waitsFor, unknown, circle } = preview
  return (
    <div style={{ marginTop: 6 }}>
      {unknown.map((name) => (
        <div key={name} className="bad">
          there is no job {name}: it would never begin
        </div>
      ))}
      {circle && <div className="bad">these jobs would begin each other for ever: {circle.join(' → ')}</div>}
      {waitsFor.length > 0 && (
        <div className="soft">
          waits for <span className="mono">{waitsFor.join(', ')}</span>
        </div>
      )}
      {next.length > 0 && (
        <>
          <div className="soft">
            the next {next.length} times, {zone}
          </div>
          <ol style={{ columns: '170px', margin: '4px 0 0', padding: 0, listStyle: 'none' }}>
            {next.map(({ at, slice, change }) => (
              <li key={at}>
                {day(at, zone)} <b>{clock(at, zone)}</b>
                {slice !== null && <span className="soft mono"> {slice}</span>}
                {change && (
                  <span className="look"> clock {change === 'forward' ? 'set forward' : 'set back'} before</span>
                )}
              </li>
            ))}
          </ol>
        </>
      )}
    </div>
  )
} // prettier-ignore
