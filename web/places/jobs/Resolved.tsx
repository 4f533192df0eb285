import { Autocomplete, TextField } from '@mui/material'
import { useEffect, useState, type ReactElement } from 'react'
import type { Answer } from '../../../contract/route'
import { routes } from '../../../contract/routes'
import { call } from '../../data/api'
import { useHere } from '../../data/session'
import { bytesText, numberText, timeText } from '../../look/times'
import { FaultBox } from '../../parts/Fault'
import { ColumnMap } from './ColumnMap'
import type { OutlineAnswer } from './Job'

type ResolvedAnswer = Answer<typeof routes.resolveJob>
type Slot = ResolvedAnswer['slots'][number]

interface Props {
  readonly text: string
  readonly outline: OutlineAnswer
  readonly part: OutlineAnswer['parts'][number]
  readonly step: OutlineAnswer['parts'][number]['steps'][number]
  readonly newestSlice: string | null
  /** The text cannot be read just now. */
  readonly broken: boolean
  /** Takes the document's text as an edit here left it. */
  readonly onText: (text: string) => void
}

const labels: Record<string, string> = {
  'transfer.from.store': 'store',
  'transfer.from.files': 'files',
  'transfer.from.connection': 'from',
  'transfer.from.table': 'table',
  'transfer.from.query': 'query',
  'transfer.from.service': 'service',
  'transfer.from.path': 'address',
  'transfer.into.store': 'into',
  'transfer.into.file': 'file',
  'transfer.into.connection': 'into',
  'transfer.into.table': 'target',
  'sql.on': 'on',
  'sql.text': 'statement',
  'check.on': 'on',
  'check.table': 'table',
}

/** The chosen step, every text of it resolved for a row and a slice, live while the document is typed. */
export function Resolved({ text, outline, part, step, newestSlice, broken, onText }: Props): ReactElement {
  const { environment } = useHere()
  const [row, setRow] = useState<string | null>(null)
  const [search, setSearch] = useState('')
  const [slice, setSlice] = useState(newestSlice ?? '')
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
        (error: Error) => !stale && setFault(error),
      )
    }, 60)
    return () => {
      stale = true
      clearTimeout(timer)
    }
  }, [text, environment, part.index, part.sliced, row, search, slice, broken])
  const slots = answer?.slots.filter((slot) => slot.step === step.id) ?? []
  const findings = answer?.findings ?? []
  return (
    <section className="sheet" aria-labelledby="resolved" style={{ overflow: 'auto' }} tabIndex={0}>
      <h2 id="resolved">
        {step.title} <small>{step.kind}</small>
      </h2>
      {part.kind === 'each' && (
        <div className="line" style={{ marginBottom: 10, flexWrap: 'wrap' }}>
          <Autocomplete
            size="small"
            options={answer?.rows ?? []}
            value={row ?? answer?.row ?? null}
            filterOptions={(options) => options}
            onChange={(_, value) => setRow(value)}
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
            <TextField
              label="and the slice from"
              type={outline.slices?.every === 'P1D' ? 'date' : 'text'}
              value={slice}
              onChange={(event) => setSlice(event.target.value)}
              slotProps={{ inputLabel: { shrink: true } }}
              sx={{ width: 160 }}
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
      {broken && <p className="look">as the last text that could be read resolves:</p>}
      <div>
        <table className="plain">
          <tbody>
            {slots.map((slot) => (
              <tr key={slot.path}>
                <th scope="row" style={{ width: 130 }}>
                  {labels[slot.path] ?? slot.path}
                </th>
                <td className="mono">
                  <SlotText slot={slot} />
                </td>
              </tr>
            ))}
            {step.settings.map(({ label, text: setting }) => (
              <tr key={label}>
                <th scope="row" style={{ width: 130 }}>
                  {label}
                </th>
                <td>{setting}</td>
              </tr>
            ))}
          </tbody>
        </table>
        {step.kind === 'transfer' && !broken && (
          <ColumnMap
            key={step.id}
            ask={{
              text,
              environment,
              part: part.index,
              step: step.id,
              row: row ?? answer?.row ?? undefined,
              slice: part.sliced && slice ? slice : undefined,
            }}
            onText={onText}
          />
        )}
        {findings.length > 0 && (
          <>
            <h2 style={{ marginTop: 14 }}>
              Findings <small>about this row and slice</small>
            </h2>
            <table className="plain">
              <tbody>
                {findings.map((finding, i) => (
                  <tr key={i}>
                    <td
                      className={
                        finding.level === 'stop' ? 'bad' : finding.level === 'look' ? 'look' : 'soft'
                      }
                      style={{ width: 46 }}
                    >
                      <b>{finding.level}</b>
                    </td>
                    <td>
                      {finding.message} <span className="mono soft">{finding.code}</span>
                    </td>
                  </tr>
                ))}
              </tbody>
            </table>
          </>
        )}
        {answer?.rowValues && (
          <details style={{ marginTop: 12 }}>
            <summary>the row’s values</summary>
            <table className="plain mono">
              <tbody>
                {Object.entries(answer.rowValues).map(([name, value]) => (
                  <tr key={name}>
                    <td style={{ width: 120 }}>row.{name}</td>
                    <td>{value === null ? <i className="soft">empty</i> : String(value)}</td>
                  </tr>
                ))}
              </tbody>
            </table>
          </details>
        )}
      </div>
    </section>
  )
}

/** The text as written, and below it what it comes to. */
function SlotText({ slot }: { slot: Slot }): ReactElement {
  const same = slot.resolved === slot.text
  return (
    <>
      <div style={{ whiteSpace: 'pre-wrap' }} className={same ? undefined : 'soft'}>
        {slot.text.trimEnd()}
      </div>
      {slot.later && <div className="look">→ worked out when it runs: it uses what earlier steps did</div>}
      {!slot.later && slot.resolved === null && (
        <div className="bad">→ cannot be resolved; see the findings</div>
      )}
      {!same && slot.resolved !== null && (
        <div className="good" style={{ whiteSpace: 'pre-wrap' }}>
          → {slot.resolved.trimEnd()}
          {slot.values && slot.values.length > 0 && (
            <div className="soft">
              {slot.values.map((value, i) => `$${i + 1} = ${JSON.stringify(value)}`).join(', ')}
            </div>
          )}
        </div>
      )}
      {slot.found?.map((file) => (
        <div key={file.path} className={file.size === 0 ? 'look' : 'good'}>
          ✓ {file.path}{' '}
          <span className="soft">
            {bytesText(file.size)}, came {timeText(file.modified)}
          </span>
        </div>
      ))}
      {slot.found?.length === 0 && <div className="look">no file matches</div>}
    </>
  )
}
