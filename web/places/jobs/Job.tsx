import { say } from '../../kit/Notice'
import { Panels } from '../../kit/Panels'
import { Views } from '../../kit/Views'
import { connectionKinds, type ConnectionKind } from '../../../core/connection/connection'
import type { JobAnswer, OutlineAnswer } from './answers'
import { Button } from '@mui/material'
import { lazy, Suspense, useCallback, useEffect, useMemo, useState, type ReactElement } from 'react'
import { useParams, useSearchParams } from 'react-router'
import { routes } from '../../../contract/routes'
import type { Fault } from '../../../core/fault'
import { formable } from '../../../core/job/formable'
import { ApiFault, call, useAnswer } from '../../data/api'
import { useHere, useMaySomewhere } from '../../data/session'
import { timeText } from '../../look/times'
import { FaultBox, Waiting } from '../../kit/Fault'
import { useKeys } from '../../kit/keys'
import { LeaveGuard } from '../../kit/LeaveGuard'
import { AboutForm } from './AboutForm'
import { functions } from './functions'
import { CopyJob } from './CopyJob'
import { mistakeWords } from './faultsAt'
import { Mistakes } from './Mistakes'
import { Outline, type Chosen } from './Outline'
import { PartForm } from './PartForm'
import { PlanForm } from './PlanForm'
import type { LookedAt } from './lookedAt'
import { namesOf, Resolved } from './Resolved'
import { PutVersion, RunsHere } from './RunsHere'
import { StartsForm } from './StartsForm'
import { TextEffect } from './TextEffect'
import { TryForm } from './TryForm'
import { Uses } from './Uses'
import { useText } from './useText'
import { Versions } from './Versions'

const TextEditor = lazy(() => import('./TextEditor'))

type View = 'outline' | 'text' | 'uses' | 'versions'

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
  // a text that was tried before it was saved is gone on with
  const from = search.get('from')
  const tried = useAnswer(routes.tryDocument, from ? { params: { id: Number(from) } } : null, {
    revalidateOnFocus: false,
  })
  if (error && !data) return <FaultBox error={error} />
  if (!data || (from && !tried.data && !tried.error)) return <Waiting what={`opening ${name}`} />
  return (
    <JobSheet
      key={`${data.name} ${data.version} ${from}`}
      job={data}
      begun={tried.data?.text ?? data.text}
      onSaved={() => void mutate()}
    />
  )
}

/** `live stays at version 3`. */
const staysText = ({ environment, version }: { environment: string; version: number | null }): string =>
  version === null ? `it is not in ${environment}` : `${environment} stays at version ${version}`

function JobSheet({
  job,
  begun,
  onSaved,
}: {
  job: JobAnswer
  /** The text as it is opened: the saved one, or one that was tried and not saved. */
  begun: string
  onSaved: () => void
}): ReactElement {
  const mayChange = useMaySomewhere('build')
  const [search, setSearch] = useSearchParams()
  const view = (search.get('view') ?? 'outline') as View
  const { text, set: setText, undo, redo, canUndo, canRedo } = useText(begun)
  const [outline, setOutline] = useState<OutlineAnswer>(job.outline)
  const [faults, setFaults] = useState<readonly Fault[]>([])
  // what is shown beside a text that cannot be read just now
  const [readable, setReadable] = useState(job.text)
  const [chosen, setChosen] = useState<Chosen>(() =>
    search.get('at') === 'starts' ? { kind: 'starts' } : firstStep(job.outline),
  )
  const { environment } = useHere()
  const connections = useAnswer(routes.connections, { query: { environment } })
  const [at, setAt] = useState<LookedAt>({ row: null, slice: job.newestSlice ?? '' })
  const [asking, setAsking] = useState<'plan' | 'try' | undefined>(search.get('plan') === '1' ? 'plan' : undefined) // prettier-ignore
  const [fault, setFault] = useState<Error>()
  const [expressions, setExpressions] = useState<readonly string[]>([])
  const jobs = useAnswer(routes.jobs, chosen.kind === 'starts' ? {} : null)
  const jobNames = useMemo(() => (jobs.data ?? []).map((one) => one.name), [jobs.data])
  const controls = useAnswer(routes.controlTables, { query: { environment } })
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
        if (!checked.outline) return
        setOutline(checked.outline)
        setReadable(text)
      }, setFault)
    }, 150)
    return () => {
      stale = true
      clearTimeout(timer)
    }
  }, [text, job])

  const save = useCallback(async () => {
    if (!mayChange || !changed) return
    if (faults.length > 0) return say(`not saved: ${mistakeWords(faults[0]!)}`)
    setFault(undefined)
    const { version, stays } = await call(routes.saveJob, { params: { name: job.name }, body: { text, base: job.newest, message: '' } }) // prettier-ignore
    setSearch({ view })
    onSaved()
    say([`saved as version ${version}`, ...stays.map(staysText)].join('; '))
  }, [mayChange, changed, faults, job, text, onSaved, setSearch, view])
  const tellFault = (error: Error) => {
    setFault(error)
    if (error instanceof ApiFault) setFaults(error.faults)
  }
  useKeys(
    useMemo(
      () => ({
        p: () => setAsking('plan'),
        t: () => mayChange && setAsking('try'),
        'ctrl+s': () => void save().catch(tellFault),
        'ctrl+z': undo,
        'ctrl+y': redo,
      }),
      [save, undo, redo, mayChange],
    ),
  )
  const broken = faults.length > 0
  // a form goes on with what is half typed; only what is no job at all leaves it with the last text that was one
  const torn = useMemo(() => text !== readable && !formable(text), [text, readable])
  const formed = torn ? readable : text
  const part = chosen.kind === 'part' ? outline.parts[chosen.index] : undefined
  const step =
    outline.parts
      .flatMap((one) => one.steps.map((entry) => ({ part: one, step: entry })))
      .find(({ step: entry }) => chosen.kind === 'step' && entry.id === chosen.id) ??
    (chosen.kind === 'step' ? stepAt(outline) : undefined)
  const first = (kind: string, otherwise: string) =>
    (connections.data ?? []).find((one) => one.kind === kind)?.name ?? otherwise
  const offered = useMemo(() => {
    const of = (kind: string) =>
      (connections.data ?? []).filter((one) => one.kind === kind).map(({ name }) => name)
    return {
      connections: Object.fromEntries(connectionKinds.map((kind) => [kind, of(kind)])) as Record<
        ConnectionKind,
        string[]
      >,
      controls: (controls.data ?? []).map(({ name }) => name),
      expressions: [...expressions, ...functions],
    }
  }, [connections.data, controls.data, expressions])
  const names = { database: first('postgres', 'a-database'), store: first('files', 'a-store') }

  return (
    <div className="stack grow">
      <LeaveGuard
        when={changed}
        what="What you changed in this job is not saved."
        // from a try one comes back to the text that was tried
        but={(path) => path.startsWith('/tries/')}
      />
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
        {!changed && <RunsHere job={job} />}
        <div className="actions">
          {!changed && <PutVersion job={job} version={job.version} onPut={onSaved} />}
          {mayChange && (
            <>
              <Button disabled={!canUndo} onClick={undo} title="Ctrl+Z">
                Undo
              </Button>
              <Button disabled={!canRedo} onClick={redo} title="Ctrl+Y">
                Redo
              </Button>
            </>
          )}
          {mayChange && !changed && <CopyJob job={job} />}
          {mayChange && (changed || job.version < job.newest) && (
            <Button disabled={!changed || faults.length > 0} onClick={() => void save().catch(tellFault)}>
              Save version {job.newest + 1}
            </Button>
          )}
          {mayChange && (
            <Button
              aria-expanded={asking === 'try'}
              disabled={broken}
              onClick={() => setAsking(asking === 'try' ? undefined : 'try')}
              title="t"
            >
              Try
            </Button>
          )}
          <Button
            variant="contained"
            color="primary"
            aria-expanded={asking === 'plan'}
            onClick={() => setAsking(asking === 'plan' ? undefined : 'plan')}
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
      {changed && <TextEffect job={job.name} text={text} broken={broken} environment={environment} />}
      {asking === 'plan' && !changed && <PlanForm job={job} onClose={() => setAsking(undefined)} />}
      {asking === 'try' && (
        <TryForm
          job={job.name}
          text={text}
          outline={outline}
          part={(step?.part ?? part ?? outline.parts[0])!.index}
          until={step?.step.id}
          at={at}
          onClose={() => setAsking(undefined)}
        />
      )}
      <div className="line">
        <Views
          label="view"
          value={view}
          views={(['outline', 'text', 'uses', 'versions'] as const).map(
            (name) => [name, name === 'versions' ? `versions (${job.versions.length})` : name] as const,
          )}
          onChange={(name) => set('view', name)}
        />
        <Mistakes faults={faults} torn={torn} />
      </div>
      {view === 'versions' ? (
        <Versions job={job} onPut={onSaved} />
      ) : view === 'uses' ? (
        <Uses job={job.name} />
      ) : (
        <Panels
          name={view === 'text' ? 'job-text' : 'job'}
          first={view === 'text' ? 55 : 34}
          least={view === 'text' ? [360, 320] : [240, 400]}
        >
          {view === 'text' ? (
            <Suspense fallback={<Waiting what="opening the text" />}>
              <TextEditor
                text={text}
                faults={faults}
                locked={!mayChange}
                names={offered}
                line={step?.step.line}
                onChange={(next) => setText(next, true)}
                onLine={(line) => {
                  const id = stepAtLine(outline, line)
                  if (id !== undefined) setChosen({ kind: 'step', id })
                }}
              />
            </Suspense>
          ) : (
            <Outline
              text={text}
              outline={outline}
              chosen={chosen}
              names={names}
              locked={!mayChange || broken}
              onChoose={setChosen}
              onText={setText}
              onFault={setFault}
            />
          )}
          {step && (
            <Resolved
              text={formed}
              part={step.part}
              step={step.step}
              outline={outline}
              at={at}
              onAt={setAt}
              onNames={setExpressions}
              faults={faults}
              locked={!mayChange || torn}
              onText={setText}
              onRenamed={(id) => setChosen({ kind: 'step', id })}
            />
          )}
          {part && (
            <PartForm
              key={part.index}
              text={formed}
              part={part}
              others={outline.parts.flatMap(({ id, index }) => (index === part.index ? [] : (id ?? [])))}
              names={namesOf(undefined, outline, part, '')}
              locked={!mayChange || torn}
              faults={faults}
              onText={setText}
            />
          )}
          {chosen.kind === 'starts' && (
            <StartsForm
              text={formed}
              jobs={jobNames}
              locked={!mayChange || torn}
              faults={faults}
              onText={setText}
            />
          )}
          {chosen.kind === 'about' && (
            <AboutForm text={formed} locked={!mayChange || torn} faults={faults} onText={setText} />
          )}
        </Panels>
      )}
    </div>
  )
}

/** The step that most people come to see: the first that is done for each row. */
function firstStep(outline: OutlineAnswer): Chosen {
  const id = (outline.parts.find(({ kind }) => kind === 'each') ?? outline.parts[0])?.steps[0]?.id
  return id === undefined ? { kind: 'about' } : { kind: 'step', id }
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
