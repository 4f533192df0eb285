import { TextField } from '@mui/material'
import { useMemo, useState, type ReactElement, type ReactNode } from 'react'
import type { Answer } from '../../../contract/route'
import type { routes } from '../../../contract/routes'
import { bytesText, count, lengthText, numberText, timeText } from '../../look/times'

type Detail = Answer<typeof routes.runLoad>

interface LogLine {
  readonly step: string
  /** What the line is of: a statement, a file, a try. */
  readonly what: string
  readonly text: string
  readonly tone?: 'bad' | 'look'
}

/** Lines that are drawn at most; a narrower search shows the others. */
const most = 400

/** All that is known of how a load went, a line each, in the order in which it was recorded. */
export function logOf(load: Detail): LogLine[] {
  const lines: LogLine[] = load.attempts.map(({ attempt, worker, host, endedAt, why }) => ({
    step: '',
    what: `attempt ${attempt}`,
    text: `${why} (${[worker !== null && `worker ${worker}`, host].filter(Boolean).join(' on ')}, ${timeText(endedAt)})`,
    tone: 'look',
  }))
  for (const step of load.detail) {
    const add = (what: string, text: string, tone?: LogLine['tone']) =>
      lines.push({ step: step.step, what, text, ...(tone ? { tone } : {}) })
    add('began', timeText(step.startedAt))
    for (const { path, text } of step.resolved) add(path.split('.').slice(1).join(' '), text)
    for (const one of step.tries) add('tried again', `${one.code}: ${one.message} (${timeText(one.at)}, after ${lengthText(one.milliseconds / 1000)})`, 'look') // prettier-ignore
    for (const statement of step.statements) {
      const rows = statement.rows === undefined ? '' : `, ${count(statement.rows, 'row')}`
      add(`on ${statement.on}`, `${statement.text} (${lengthText(statement.milliseconds / 1000)}${rows})`)
      if (statement.error !== undefined) add(`on ${statement.on}`, statement.error, 'bad')
    }
    for (const file of step.files)
      add(file.did ?? 'read', `${file.store}: ${file.path}, ${bytesText(file.size)}, sha256 ${file.sha256}`)
    for (const [reason, n] of Object.entries(step.rejectReasons))
      add('rejected', `${numberText(n)} × ${reason}`, 'look')
    for (const check of step.checks)
      add(check.holds ? 'holds' : 'does not hold', `${check.text}${check.why ? `: ${check.why}` : ''}`, check.holds ? undefined : 'look') // prettier-ignore
    for (const text of step.log) add('log', text)
    if (step.endedAt) add(step.state, timeText(step.endedAt), step.state === 'failed' ? 'bad' : undefined)
  }
  if (load.error) lines.push({ step: load.error.step ?? '', what: load.error.code, text: `${load.error.message}; ${load.error.effect}; ${load.error.advice}`, tone: 'bad' }) // prettier-ignore
  return lines
}

/** The log of a load, to be searched: every word of the search must be in a line. */
export function LoadLog({ load }: { load: Detail }): ReactElement {
  const [text, setText] = useState('')
  const lines = useMemo(() => logOf(load), [load])
  const words = useMemo(() => text.toLowerCase().split(/\s+/).filter(Boolean), [text])
  const found = useMemo(
    () =>
      lines.filter((line) => {
        const all = `${line.step} ${line.what} ${line.text}`.toLowerCase()
        return words.every((word) => all.includes(word))
      }),
    [lines, words],
  )
  return (
    <section aria-label="log" className="stack" style={{ gap: 6 }}>
      <div className="line">
        <TextField
          placeholder="find in the log"
          value={text}
          onChange={(event) => setText(event.target.value)}
          sx={{ width: 220 }}
          slotProps={{ htmlInput: { 'aria-label': 'find in the log' } }}
        />
        <span className="soft" role="status">
          {words.length > 0
            ? `${numberText(found.length)} of ${count(lines.length, 'line')}`
            : count(lines.length, 'line')}
        </span>
      </div>
      <ol className="log mono">
        {found.slice(0, most).map((line, i) => (
          <li key={i}>
            <span className="soft">
              {line.step} {line.what}
            </span>{' '}
            <span className={line.tone}>{marked(line.text, words)}</span>
          </li>
        ))}
      </ol>
      {found.length > most && (
        <span className="soft">and {count(found.length - most, 'more line')}; search for less</span>
      )}
      {found.length === 0 && <span className="soft">No line has all of that.</span>}
    </section>
  )
}

/** A text with the words marked that were searched for. */
function marked(text: string, words: readonly string[]): ReactNode {
  if (words.length === 0) return text
  const some = new RegExp(
    `(${words.map((word) => word.replace(/[.*+?^${}()|[\]\\]/g, '\\$&')).join('|')})`,
    'gi',
  )
  return text.split(some).map((part, i) => (i % 2 === 1 ? <mark key={i}>{part}</mark> : part))
}
