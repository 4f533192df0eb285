import { stepDefinition } from '../../../core/job/steps'
import { Lines } from '../../kit/Lines'
import { TableBody, TableCell, TableRow } from '@mui/material'
import { slotLabel } from '../../../core/job/slots'
import type { ReactElement } from 'react'
import type { Answer } from '../../../contract/route'
import { routes } from '../../../contract/routes'
import { useAnswer } from '../../data/api'
import { StateWord } from '../../look/State'
import { lengthText, numberText } from '../../look/times'
import { DataGrid } from '../../kit/DataGrid'
import { FaultBox, Waiting } from '../../kit/Fault'
import { Statements } from '../../kit/Statements'
import type { TryStep } from './answers'

type Detail = Answer<typeof routes.tryStep>
type Look = Detail['looks'][number]

/** One step of a try: what went in, what came out, what it did for that. */
export function StepDetail({ id, step }: { id: number; step: TryStep }): ReactElement {
  const { data, error } = useAnswer(routes.tryStep, { params: { id, position: step.position } })
  return (
    <div className="stack tried">
      <div>
        <h2 style={{ marginBottom: 2 }}>
          {step.title} <small>{step.kind}</small>
        </h2>
        <span className="line">
          <StateWord state={step.state} />
          {step.milliseconds !== null && (
            <span className="soft">in {lengthText(step.milliseconds / 1000)}</span>
          )}
        </span>
      </div>
      {step.error && (
        <div className={step.state === 'skipped' ? 'sheet' : 'fault'}>
          {step.error.message}.<br />
          <span className="soft">
            {step.error.effect}; {step.error.advice}.
          </span>
        </div>
      )}
      {error && <FaultBox error={error} />}
      {!data && !error && <Waiting what="opening the step" />}
      {data && <Looks detail={data} step={step} />}
      {data && data.statements.length > 0 && (
        <details open={data.looks.length === 0}>
          <summary>
            {data.statements.length === 1
              ? 'the statement, as it ran'
              : `${numberText(data.statements.length)} statements, as they ran`}
          </summary>
          <Statements list={data.statements} />
        </details>
      )}
      {data && data.resolved.length > 0 && (
        <details>
          <summary>its texts, as they came out</summary>
          <Lines>
            <TableBody>
              {data.resolved.map(({ path, text }) => (
                <TableRow key={path}>
                  <TableCell component="th" scope="row" className="soft">
                    {slotLabel(path)}
                  </TableCell>
                  <TableCell className="mono">{text}</TableCell>
                </TableRow>
              ))}
            </TableBody>
          </Lines>
        </details>
      )}
    </div>
  )
}

function Looks({ detail, step }: { detail: Detail; step: TryStep }): ReactElement {
  const side = (which: Look['side']) => detail.looks.filter((look) => look.side === which)
  const [into, out] = [side('in'), side('out').filter(({ rows, before, after }) => rows.length > 0 || before !== after)] // prettier-ignore
  const untouched = side('out').filter((look) => !out.includes(look))
  return (
    <>
      {detail.log.length > 0 && (
        <ul className="soft log-lines">
          {detail.log.map((line, i) => (
            <li key={i}>{line}</li>
          ))}
        </ul>
      )}
      {into.map((look, i) => (
        <LookGrid
          key={`in ${i}`}
          look={look}
          said={`went in${step.counts ? `, of ${numberText(step.counts.read)} rows` : ''}`}
        />
      ))}
      {out.map((look, i) => (
        <LookGrid key={`out ${i}`} look={look} said={saidOf(look, step)} />
      ))}
      {untouched.length > 0 && (
        <span className="soft">
          No row was written or taken out of {untouched.map(({ title }) => title).join(', ')}.
        </span>
      )}
      {step.state === 'done' && detail.looks.length === 0 && (
        <span className="soft">{nothingShown[stepDefinition(step.kind).tells]}</span>
      )}
      {Object.entries(step.rejectReasons).map(([reason, n]) => (
        <span key={reason} className="bad">
          {numberText(n)} rejected: {reason}
        </span>
      ))}
    </>
  )
}

/** What is said of a done step that has no rows to show. */
const nothingShown = {
  rows: 'No row went through it.',
  tables: 'It changed no table.',
  files: 'It made no rows.',
  holds: 'All of it holds.',
  log: 'It wrote into the log.',
} as const

function saidOf(look: Look, step: TryStep): string {
  if (look.title === 'rejects') return 'was rejected'
  const rows = look.before !== undefined && look.after !== undefined ? `: ${numberText(look.before)} → ${numberText(look.after)} rows` : '' // prettier-ignore
  return `came out${rows}${stepDefinition(step.kind).tells === 'rows' && step.counts ? `, ${numberText(step.counts.written)} written` : ''}`
}

function LookGrid({ look, said }: { look: Look; said: string }): ReactElement {
  const shown = look.rows.length
  return (
    <section aria-label={`${look.title} ${said}`}>
      <h3 className="look-head">
        <span className="mono">{look.title}</span>{' '}
        <span className="soft">
          {said}
          {shown >= 50 ? '; the first 50 are shown' : ''}
        </span>
      </h3>
      {shown > 0 && (
        <DataGrid
          label={`${look.side === 'in' ? 'rows that went in' : 'rows that came out'}, ${look.title}`}
          columns={look.columns}
          rows={look.rows}
          height={Math.min(7, shown + 1) * 29 + 30}
        />
      )}
    </section>
  )
}
