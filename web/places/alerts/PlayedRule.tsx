import { Button, TableBody, TableCell, TableRow } from '@mui/material'
import { useEffect, useState, type ReactElement } from 'react'
import { routes } from '../../../contract/routes'
import { alertRuleSchema } from '../../../core/alert/rule'
import { call } from '../../data/api'
import { FaultBox } from '../../kit/Fault'
import { Lines } from '../../kit/Lines'
import { Strip } from '../../look/Strip'
import { count, dayText, numberText, timeText } from '../../look/times'
import type { Played } from './answers'

/** Messages that are listed at first. */
const few = 4
const day = 86_400_000

/** What a rule, as it stands in its form, would have sent over the last 60 days. */
export function PlayedRule({
  rule,
  environment,
}: {
  readonly rule: unknown
  readonly environment: string
}): ReactElement {
  // what a rule is called does not change what it sends
  const read = alertRuleSchema.safeParse({
    ...(rule as object),
    name: 'played',
    title: 'played',
    in: ['played'],
    to: [{ webhook: { on: 'x' } }],
  })
  const asked = read.success ? JSON.stringify(read.data) : undefined
  const [answer, setAnswer] = useState<{ readonly played?: Played; readonly fault?: Error }>({})
  const [all, setAll] = useState(false)
  useEffect(() => {
    if (asked === undefined) return
    let stale = false
    const timer = setTimeout(() => {
      call(routes.playAlert, {
        body: { environment, rule: JSON.parse(asked) as Record<string, unknown> },
      }).then(
        (played) => !stale && setAnswer({ played }),
        (fault: Error) => !stale && setAnswer({ fault }),
      )
    }, 250)
    return () => {
      stale = true
      clearTimeout(timer)
    }
  }, [asked, environment])
  const { played, fault } = answer
  if (fault) return <FaultBox error={fault} />
  if (!played || asked === undefined)
    return (
      <p className="soft">
        {asked === undefined
          ? 'What it would have sent is shown when it is whole.'
          : 'playing the last 60 days through'}
      </p>
    )
  const { days, total, messages, from, knownFrom } = played
  const first = Date.parse(from)
  return (
    <div>
      <h3>
        It would have sent {count(total, 'message')}{' '}
        <small className="soft">
          over the last 60 days
          {Date.parse(knownFrom) - first > day && `; what stood is known since ${dayText(knownFrom)}`}
        </small>
      </h3>
      <Strip
        label={`messages on each of the last 60 days, ${numberText(total)} in all`}
        width={360}
        height={34}
        bars={days.map((value, i) => ({
          label: `${dayText(new Date(first + i * day).toISOString())}: ${count(value, 'message')}`,
          value,
          state: 'running',
        }))}
      />
      {total > 0 && (
        <Lines label="messages it would have sent">
          <TableBody>
            {messages.slice(0, all ? messages.length : few).map(({ at, subject, told }, i) => (
              <TableRow key={i}>
                <TableCell className="keep soft" style={{ verticalAlign: 'top' }}>
                  {timeText(at)}
                </TableCell>
                <TableCell title={told.map(({ news }) => news.title).join('\n')}>{subject}</TableCell>
              </TableRow>
            ))}
          </TableBody>
        </Lines>
      )}
      {!all && messages.length > few && (
        <Button variant="text" onClick={() => setAll(true)}>
          show{' '}
          {total > messages.length ? `the newest ${numberText(messages.length)}` : `all ${numberText(total)}`}
        </Button>
      )}
    </div>
  )
}
