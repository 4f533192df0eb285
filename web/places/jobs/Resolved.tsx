import { stepDefinition } from '../../../core/job/steps'
import { SliceInput } from './SliceInput'
import { Lines } from '../../kit/Lines'
import type { LookedAt } from './lookedAt'
import { pathOfStep } from '../../../core/job/editSteps'
import { Autocomplete, TableBody, TableCell, TableRow, TextField } from '@mui/material'
import { useEffect, useMemo, useState, type ReactElement } from 'react'
import type { Answer } from '../../../contract/route'
import { routes } from '../../../contract/routes'
import type { Fault } from '../../../core/fault'
import { ApiFault, call } from '../../data/api'
import { useHere } from '../../data/session'
import { numberText, timeText } from '../../look/times'
import { FaultBox } from '../../kit/Fault'
import type { Path } from '../../../core/job/editText'
import { ColumnMap } from './ColumnMap'
import { Marks } from './Marks'
import { valueAt } from '../../../core/job/editText'
import { StepForm } from './StepForm'
import type { OutlineAnswer } from './answers'

type ResolvedAnswer = Answer<typeof routes.resolveJob>

interface Props {
  readonly text: string
  readonly outline: OutlineAnswer
  readonly part: OutlineAnswer['parts'][number]
  readonly step: OutlineAnswer['parts'][number]['steps'][number]
  /** The row and the slice that everything is shown for. */
  readonly at: LookedAt
  readonly onAt: (at: LookedAt) => void
  /** Told what an expression of the step may name. */
  readonly onNames?: (names: readonly string[]) => void
  /** What is wrong with the text just now; while there is something, what was resolved last stays. */
  readonly faults: readonly Fault[]
  /** Takes the document's text as an edit here left it. */
  readonly onText: (text: string, typed?: boolean) => void
  readonly locked: boolean
  readonly onRenamed: (id: string) => void
}

/** The chosen step, every text of it resolved for a row and a slice, live while the document is typed. */
export function Resolved({
  text,
  outline,
  part,
  step,
  at,
  onAt,
  onNames,
  faults,
  locked,
  onText,
  onRenamed,
}: Props): ReactElement {
  const broken = faults.length > 0
  const { environment } = useHere()
  const { row, slice } = at
  const [search, setSearch] = useState('')
  const [answer, setAnswer] = useState<ResolvedAnswer>()
  const [fault, setFault] = useState<Error>()
  useEffect(() => {
    if (broken) return
    let stale = false
    const timer = setTimeout(() => {
      call(routes.resolveJob, {
        body: {
          text,
          environment,
          part: part.index,
          row: row ?? undefined,
          search,
          slice: part.sliced && slice ? slice : undefined,
        },
      }).then(
        (resolved) => {
          if (stale) return
          setAnswer(resolved)
          setFault(undefined)
        },
        // what is wrong with the document is said where it is checked
        (error: Error) =>
          !stale && setFault(error instanceof ApiFault && error.faults.length > 0 ? undefined : error),
      )
    }, 60)
    return () => {
      stale = true
      clearTimeout(timer)
    }
  }, [text, environment, part.index, part.sliced, row, search, slice, broken])
  const slots = answer?.slots.filter((slot) => slot.step === step.id) ?? []
  const findings = answer?.findings ?? []
  const path = useMemo(() => pathOf(text, step.id), [text, step.id])
  const names = useMemo(() => namesOf(answer, outline, part, step.id), [answer, outline, part, step.id])
  useEffect(() => onNames?.(names), [onNames, names])
  return (
    <section className="sheet" aria-labelledby="resolved" style={{ overflow: 'auto' }} tabIndex={0}>
      <h2 id="resolved">
        {step.title} <small>{step.off ? `${step.kind}, turned off` : step.kind}</small>
        {broken && <small className="look"> as the last text that could be read resolves</small>}
      </h2>
      {part.kind === 'each' && (
        <div className="line" style={{ marginBottom: 10, flexWrap: 'wrap' }}>
          <Autocomplete
            size="small"
            options={answer?.rows ?? []}
            value={row ?? answer?.row ?? null}
            filterOptions={(options) => options}
            onChange={(_, value) => onAt({ ...at, row: value })}
            onInputChange={(_, value, reason) => setSearch(reason === 'input' ? value : '')}
            noOptionsText="no row is called that"
            sx={{ width: 230 }}
            renderInput={(parameters) => (
              <TextField
                {...parameters}
                label={`with row${answer ? `, of ${numberText(answer.rowCount)}` : ''}`}
              />
            )}
          />
          {part.sliced && (
            <SliceInput
              every={outline.slices?.every}
              value={slice}
              onChange={(day) => onAt({ ...at, slice: day })}
            />
          )}
          {answer?.slice && part.sliced && (
            <span className="soft">
              {timeText(answer.slice.from, outline.slices?.zone)} –{' '}
              {timeText(answer.slice.to, outline.slices?.zone)}
            </span>
          )}
        </div>
      )}
      {fault && !broken && <FaultBox error={fault} />}
      <div>
        <StepForm
          key={`form of ${step.id}`}
          text={text}
          path={path}
          kind={step.kind}
          slots={slots}
          names={names}
          locked={locked}
          faults={faults}
          onText={onText}
          onRenamed={onRenamed}
        />
        {valueAt(text, [...path, step.kind, 'since']) !== undefined && <Marks job={outline.name} />}
        {stepDefinition(step.kind).maps && !broken && (
          <ColumnMap
            key={`map of ${step.id}`}
            ask={{
              text,
              environment,
              part: part.index,
              step: step.id,
              row: row ?? answer?.row ?? undefined,
              slice: part.sliced && slice ? slice : undefined,
            }}
            onText={(next) => onText(next)}
          />
        )}
        {findings.length > 0 && (
          <>
            <h2 style={{ marginTop: 14 }}>
              Findings <small>about this row and slice</small>
            </h2>
            <Lines>
              <TableBody>
                {findings.map((finding, i) => (
                  <TableRow key={i}>
                    <TableCell
                      className={
                        finding.level === 'stop' ? 'bad' : finding.level === 'look' ? 'look' : 'soft'
                      }
                      style={{ width: 46 }}
                    >
                      <b>{finding.level}</b>
                    </TableCell>
                    <TableCell>
                      {finding.message} <span className="mono soft">{finding.code}</span>
                    </TableCell>
                  </TableRow>
                ))}
              </TableBody>
            </Lines>
          </>
        )}
        {answer?.rowValues && (
          <details style={{ marginTop: 12 }}>
            <summary>the row’s values</summary>
            <Lines mono>
              <TableBody>
                {Object.entries(answer.rowValues).map(([name, value]) => (
                  <TableRow key={name}>
                    <TableCell style={{ width: 120 }}>row.{name}</TableCell>
                    <TableCell>{value === null ? <i className="soft">empty</i> : String(value)}</TableCell>
                  </TableRow>
                ))}
              </TableBody>
            </Lines>
          </details>
        )}
      </div>
    </section>
  )
}

/** Path of a step in the text; that of nothing while the text cannot be read. */
function pathOf(text: string, id: string): Path {
  try {
    return pathOfStep(text, id)
  } catch {
    return ['parts', -1]
  }
}

/** What an expression of a step may name, the likeliest first. */
export function namesOf(
  answer: ResolvedAnswer | undefined,
  outline: OutlineAnswer,
  part: OutlineAnswer['parts'][number],
  step: string,
): string[] {
  const steps = outline.parts.flatMap((one) => one.steps.map(({ id }) => id))
  return [
    ...Object.keys(answer?.rowValues ?? {}).map((name) =>
      /^[A-Za-z_]\w*$/.test(name) ? `row.${name}` : `row["${name}"]`,
    ),
    ...(part.sliced ? ['slice.from', 'slice.to', 'slice.label'] : []),
    ...outline.parameters.map(({ name }) => (name.includes('-') ? `param["${name}"]` : `param.${name}`)),
    'env.name',
    'run.id',
    'run.started',
    'file.name',
    'file.path',
    'file.size',
    ...steps
      .slice(0, Math.max(0, steps.indexOf(step)))
      .flatMap((id) =>
        ['rows_read', 'rows_written', 'rows_unchanged', 'rows_rejected'].map(
          (name) => `step["${id}"].${name}`,
        ),
      ),
  ]
}
