import { Button } from '@mui/material'
import { lazy, Suspense, useCallback, useEffect, useMemo, useState, type ReactElement } from 'react'
import { useParams, useSearchParams } from 'react-router'
import type { Answer } from '../../../contract/route'
import { routes } from '../../../contract/routes'
import type { Fault } from '../../../core/fault'
import { ApiFault, call, useAnswer } from '../../data/api'
import { useMayChange } from '../../data/session'
import { timeText } from '../../look/times'
import { FaultBox, Waiting } from '../../parts/Fault'
import { useKeys } from '../../parts/keys'
import { Outline } from './Outline'
import { PlanForm } from './PlanForm'
import { Resolved } from './Resolved'
import { Versions } from './Versions'

const TextEditor = lazy(() => import('./TextEditor'))

export type JobAnswer = Answer<typeof routes.job>
export type OutlineAnswer = JobAnswer['outline']
type View = 'outline' | 'text' | 'versions'

/** A job: one document, read as an outline or edited as text, with every text resolved beside it. */
export default function Job(): ReactElement {
  const name = useParams().name ?? ''
  const [search] = useSearchParams()
  const version = search.get('version')
  const { data, error, mutate } = useAnswer(
    routes.job,
    { params: { name }, query: version ? { version: Number(version) } : {} },
    { revalidateOnFocus: false, revalidateIfStale: true },
  )
  if (error && !data) return <FaultBox error={error} />
  if (!data) return <Waiting what={`opening ${name}`} />
  return <JobSheet key={`${data.name} ${data.version}`} job={data} onSaved={() => void mutate()} />
}

function JobSheet({ job, onSaved }: { job: JobAnswer; onSaved: () => void }): ReactElement {
  const mayChange = useMayChange()
  const [search, setSearch] = useSearchParams()
  const view = (search.get('view') ?? 'outline') as View
  const [text, setText] = useState(job.text)
  const [outline, setOutline] = useState<OutlineAnswer>(job.outline)
  const [faults, setFaults] = useState<readonly Fault[]>([])
  const [chosen, setChosen] = useState(() => firstStep(job.outline))
  const [planning, setPlanning] = useState(search.get('plan') === '1')
  const [fault, setFault] = useState<Error>()
  const changed = text !== job.text
  const set = useCallback((name: string, value: string) => setSearch((now) => { const next = new URLSearchParams(now); next.set(name, value); return next }, { replace: true }), [setSearch]) // prettier-ignore

  useEffect(() => {
    if (text === job.text) {
      setOutline(job.outline)
      setFaults([])
      return
    }
    let stale = false
    const timer = setTimeout(() => {
      call(routes.checkJob, { body: { text } }).then((checked) => {
        if (stale) return
        setFaults(checked.faults as Fault[])
        if (checked.outline) setOutline(checked.outline)
      }, setFault)
    }, 150)
    return () => {
      stale = true
      clearTimeout(timer)
    }
  }, [text, job])

  const save = useCallback(async () => {
    if (!mayChange || !changed || faults.length > 0) return
    setFault(undefined)
    await call(routes.saveJob, { params: { name: job.name }, body: { text, base: job.newest, message: '' } })
    setSearch({ view })
    onSaved()
  }, [mayChange, changed, faults, job, text, onSaved, setSearch, view])
  const tellFault = (error: Error) => {
    setFault(error)
    if (error instanceof ApiFault) setFaults(error.faults)
  }
  useKeys(
    useMemo(() => ({ p: () => setPlanning(true), 'ctrl+s': () => void save().catch(tellFault) }), [save]),
  )
  const step =
    outline.parts
      .flatMap((part) => part.steps.map((entry) => ({ part, step: entry })))
      .find(({ step: entry }) => entry.id === chosen) ?? stepAt(outline)

  return (
    <div className="stack grow">
      <div className="head" style={{ marginBottom: 0 }}>
        <h1>{outline.title}</h1>
        <span className={changed ? 'tag edge' : 'tag'}>
          version {job.version}
          {changed ? ' · changed, not saved' : job.version < job.newest ? ` of ${job.newest}` : ''}
        </span>
        <span className="soft">
          {job.version === job.newest ? '' : 'an earlier version, '}saved {timeText(job.savedAt)} by{' '}
          {job.savedBy}
        </span>
        <div className="actions">
          {changed && <Button onClick={() => setText(job.text)}>Leave as it was</Button>}
          {mayChange && (changed || job.version < job.newest) && (
            <Button disabled={!changed || faults.length > 0} onClick={() => void save().catch(tellFault)}>
              Save version {job.newest + 1}
            </Button>
          )}
          <Button
            variant="contained"
            color="primary"
            aria-expanded={planning}
            onClick={() => setPlanning(!planning)}
            disabled={changed}
            title={changed ? 'save it first' : undefined}
          >
            Plan
          </Button>
        </div>
      </div>
      {outline.note && (
        <p className="soft" style={{ margin: 0 }}>
          {outline.note}
        </p>
      )}
      {fault && <FaultBox error={fault} />}
      {planning && !changed && <PlanForm job={job} onClose={() => setPlanning(false)} />}
      <div className="switch" role="group" aria-label="view">
        {(['outline', 'text', 'versions'] as const).map((name) => (
          <button key={name} type="button" aria-pressed={view === name} onClick={() => set('view', name)}>
            {name === 'versions' ? `versions (${job.versions.length})` : name}
          </button>
        ))}
        {faults.length > 0 && (
          <span className="bad">
            {faults.length === 1 ? '1 mistake' : `${faults.length} mistakes`}: the outline shows the last text
            that could be read
          </span>
        )}
      </div>
      {view === 'versions' ? (
        <Versions job={job} />
      ) : (
        <div
          className="grow"
          style={{
            display: 'grid',
            gridTemplateColumns:
              view === 'text'
                ? 'minmax(420px, 1.35fr) minmax(320px, 1fr)'
                : 'minmax(300px, 1fr) minmax(420px, 1.9fr)',
            gap: 12,
            minHeight: 300,
          }}
        >
          {view === 'text' ? (
            <Suspense fallback={<Waiting what="opening the text" />}>
              <TextEditor
                text={text}
                faults={faults}
                locked={!mayChange}
                line={step?.step.line}
                onChange={setText}
                onLine={(line) => setChosen(stepAtLine(outline, line) ?? chosen)}
              />
            </Suspense>
          ) : (
            <Outline outline={outline} chosen={step?.step.id} onChoose={setChosen} />
          )}
          {step && (
            <Resolved
              text={text}
              part={step.part}
              step={step.step}
              outline={outline}
              newestSlice={job.newestSlice}
              broken={faults.length > 0}
              onText={setText}
            />
          )}
        </div>
      )}
    </div>
  )
}

/** The step that most people come to see: the first that is done for each row. */
function firstStep(outline: OutlineAnswer): string | undefined {
  return (outline.parts.find(({ kind }) => kind === 'each') ?? outline.parts[0])?.steps[0]?.id
}

function stepAt(outline: OutlineAnswer) {
  const [part] = outline.parts
  const [step] = part?.steps ?? []
  return part && step ? { part, step } : undefined
}

function stepAtLine(outline: OutlineAnswer, line: number): string | undefined {
  return outline.parts
    .flatMap(({ steps }) => steps)
    .filter((step) => step.line <= line)
    .at(-1)?.id
}
