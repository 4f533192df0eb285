import { LinkButton } from '../../kit/LinkButton'
import { Lines } from '../../kit/Lines'
import { Button, TableBody, TableCell, TableRow } from '@mui/material'
import { useState, type ReactElement } from 'react'
import { Link } from 'react-router'
import { numberText } from '../../look/times'
import type { PlanAnswer } from './answers'

type Finding = PlanAnswer['findings'][number]
const tones = { stop: 'bad', look: 'look', note: 'soft' }

const wordsOf = (plan: PlanAnswer): string => {
  const count = (level: Finding['level']) => plan.findings.filter((finding) => finding.level === level).length
  const [stops, looks, notes] = [count('stop'), count('look'), count('note')]
  const parts = [
    stops > 0 && `${stops} ${stops === 1 ? 'stops' : 'stop'} the run`,
    looks > 0 && `${looks} to look at`,
    notes > 0 && `${notes} to note`,
  ].filter(Boolean)
  return parts.length > 0 ? parts.join(', ') : 'nothing found against it'
}

/** What is found before anything runs; each says where, and offers its loads and its mend. */
export function Findings({
  plan,
  chosen,
  onChoose,
  onLeave,
}: {
  plan: PlanAnswer
  chosen: string
  onChoose: (code: string) => void
  onLeave: ((code: string) => void) | undefined
}): ReactElement {
  const [all, setAll] = useState(false)
  const shown = all ? plan.findings : plan.findings.slice(0, 4)
  const hidden = plan.findings.length - shown.length
  return (
    <section
      className="sheet"
      aria-labelledby="findings"
      style={{ maxHeight: 230, overflow: 'auto', flex: 'none' }}
      tabIndex={0}
    >
      <h2 id="findings" style={plan.findings.length === 0 ? { margin: 0 } : undefined}>
        Before you run <small className={plan.stops > 0 ? 'bad' : undefined}>{wordsOf(plan)}</small>
      </h2>
      {plan.findings.length > 0 && (
        <Lines>
          <TableBody>
            {shown.map((finding, i) => (
              <TableRow key={i} style={chosen === finding.code ? { background: 'var(--tint)' } : undefined}>
                <TableCell className={tones[finding.level]} style={{ width: 50 }}>
                  <b>{finding.level}</b>
                </TableCell>
                <TableCell>
                  {finding.message} <span className="mono soft">{finding.code}</span>
                </TableCell>
                <TableCell className="keep number">
                  <FindingActions
                    plan={plan}
                    finding={finding}
                    chosen={chosen === finding.code}
                    onChoose={onChoose}
                    onLeave={onLeave}
                  />
                </TableCell>
              </TableRow>
            ))}
          </TableBody>
        </Lines>
      )}
      {hidden > 0 && <LinkButton onClick={() => setAll(true)}>and {hidden} more</LinkButton>}
    </section>
  )
}

function FindingActions({
  plan,
  finding,
  chosen,
  onChoose,
  onLeave,
}: {
  plan: PlanAnswer
  finding: Finding
  chosen: boolean
  onChoose: (code: string) => void
  onLeave: ((code: string) => void) | undefined
}): ReactElement {
  const about = Number(finding.where.count ?? 0)
  const { mend } = finding
  return (
    <span className="line" style={{ justifyContent: 'flex-end' }}>
      {mend?.open === 'connection' && (
        <Button component={Link} to={`/connections?open=${mend.name}`}>
          {mend.label}
        </Button>
      )}
      {about === 0 && finding.where.path !== undefined && !mend && (
        <Button component={Link} to={`/jobs/${plan.job}?view=text`}>
          Open the job
        </Button>
      )}
      {about > 0 && (
        <Button aria-pressed={chosen} onClick={() => onChoose(finding.code)}>
          {chosen ? 'Show all' : `Show ${numberText(about)}`}
        </Button>
      )}
      {about > 0 && finding.level === 'stop' && onLeave && about < plan.loads && (
        <Button onClick={() => onLeave(finding.code)}>Leave out</Button>
      )}
    </span>
  )
}
