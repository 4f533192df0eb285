import { Button, TableBody, TableCell, TableRow } from '@mui/material'
import { useCallback, useRef, useState, type ReactElement, type ReactNode } from 'react'
import { Link } from 'react-router'
import { routes } from '../../../contract/routes'
import { some } from '../../../core/text/someOf'
import { ApiFault, call } from '../../data/api'
import { newPress } from '../../data/press'
import { useHere, useMay } from '../../data/session'
import { FaultBox } from '../../kit/Fault'
import { TextInput } from '../../kit/controls'
import { Lines } from '../../kit/Lines'
import { say } from '../../kit/Notice'
import { Slip } from '../../kit/Slip'
import { useStarting } from '../../kit/Starting'
import { StateMark, type State } from '../../look/State'
import { count, numberText, timeText } from '../../look/times'
import { toControlRow } from '../control/toRow'
import type { Decision, MorningSheet } from './answers'
import { MatterSlip } from './MatterSlip'

interface Shown {
  readonly mark: State
  /** What failed can be run again here. */
  readonly reruns?: true
  /** What failed can be given up here. */
  readonly givesUp?: true
  /** What waits can be let go here. */
  readonly letsGo?: true
  /** What is opened to look into it. */
  readonly opens: (decision: Decision) => { readonly to: string; readonly words: string } | undefined
}

const seen = ({ count: many }: Decision) => `See ${many === 1 ? 'it' : `the ${numberText(many)}`}`
const inRun = (decision: Decision) => (decision.run === null ? undefined : { to: `/runs/${decision.run}?order=failed`, words: decision.runs.length > 1 ? `See run ${decision.run}` : seen(decision) }) // prettier-ignore
const openJob = ({ job }: Decision) => ({ to: `/jobs/${job}`, words: 'Open the job' })

/** How each kind of decision is drawn, and where it is looked into. */
const shown: Readonly<Record<Decision['kind'], Shown>> = {
  failed: { mark: 'failed', reruns: true, givesUp: true, opens: inRun },
  check: { mark: 'failed', reruns: true, givesUp: true, opens: inRun },
  unbalanced: { mark: 'held', opens: inRun },
  connection: { mark: 'waiting', opens: inRun },
  stuck: { mark: 'waiting', letsGo: true, opens: (decision) => ({ to: `/runs/${decision.run}`, words: decision.runs.length > 1 ? `See run ${decision.run}` : seen(decision) }) },
  silence: { mark: 'skipped', opens: ({ job }) => ({ to: `/coverage?job=${job}`, words: 'See it covered' }) },
  file: { mark: 'waiting', opens: () => ({ to: '/arrivals?overdue=only', words: 'See arrivals' }) },
  late: { mark: 'waiting', opens: () => ({ to: '/starts?view=rehearsal', words: 'Rehearse' }) },
  overdue: { mark: 'failed', opens: () => ({ to: '/starts?view=rehearsal', words: 'Rehearse' }) },
  drift: { mark: 'waiting', opens: (decision) => ({ to: `/catalog?flag=drifted&connection=${decision.connection}`, words: seen(decision) }) },
  'not-run': { mark: 'waiting', opens: ({ job }) => ({ to: `/coverage?job=${job}`, words: 'See why' }) },
  'not-begun': { mark: 'failed', opens: openJob },
} // prettier-ignore

/** What needs a decision, each with what can be done about it here, and what others did. */
export function Decisions({ sheet, onChanged }: { readonly sheet: MorningSheet; readonly onChanged: () => void }): ReactElement {
  const [all, setAll] = useState(false)
  const quiet = sheet.decisions.filter(({ quietUntil }) => quietUntil !== null)
  const open = all ? sheet.decisions : sheet.decisions.filter(({ quietUntil }) => quietUntil === null)
  return (
    <section className="sheet" aria-labelledby="decisions">
      <div className="line">
        <h2 id="decisions" style={{ margin: 0 }}>Needs a decision</h2>
        {quiet.length > 0 && (
          <Button variant="text" onClick={() => setAll(!all)} style={{ marginLeft: 'auto' }}>
            {all ? 'leave out what is quiet' : `${count(quiet.length, 'thing')} quiet`}
          </Button>
        )}
      </div>
      {open.length === 0 ? (
        <span className="soft">
          Nothing. What fails, does not balance, waits in vain, did not start or is far from usual is listed here, grouped by its
          cause.
        </span>
      ) : (
        <Lines>
          <TableBody>
            {open.map((decision) => (
              <DecisionLine key={decision.key} decision={decision} people={sheet.people} onChanged={onChanged} />
            ))}
          </TableBody>
        </Lines>
      )}
    </section>
  )
} // prettier-ignore

function DecisionLine({ decision, people, onChanged }: { readonly decision: Decision; readonly people: readonly string[]; readonly onChanged: () => void }): ReactElement {
  const mayChange = useMay('run', useHere().environment)
  const [acting, setActing] = useState(false)
  const { mark, opens, reruns, givesUp, letsGo } = shown[decision.kind]
  const to = opens(decision)
  const last = decision.notes.at(-1)
  return (
    <TableRow>
      <TableCell style={{ width: 30 }}>
        <StateMark state={mark} size={14} />
      </TableCell>
      <TableCell>
        <b>{decision.title}</b>
        <br />
        <span className="soft">{decision.text}</span>
        {(last ?? decision.givenTo ?? decision.quietUntil) && (
          <div>
            {decision.givenTo !== null && <b>{decision.givenTo} sees to it. </b>}
            {decision.quietUntil !== null && <span className="look">quiet until {timeText(decision.quietUntil)}. </span>}
            {last && (
              <span>
                {last.by}, {timeText(last.at)}: {last.text}
                {decision.notes.length > 1 && <span className="soft"> · {count(decision.notes.length, 'line')}</span>}
              </span>
            )}
          </div>
        )}
      </TableCell>
      <TableCell className="keep soft number">{timeText(decision.latest)}</TableCell>
      <TableCell className="keep number" style={{ width: 1 }}>
        <span className="line" style={{ justifyContent: 'flex-end', marginLeft: 12 }}>
          {mayChange && (
            <Button variant="text" sx={{ flex: 'none' }} onClick={() => setActing(true)} aria-label={`note, give or quiet: ${decision.title}`}>
              {decision.notes.length > 0 ? 'Thread' : 'Note'}
            </Button>
          )}
          {to && <Opens {...to}>{to.words}</Opens>}
          {decision.controls[0] && <Opens to={toControlRow(decision.controls[0])}>Open row</Opens>}
          {decision.plan != null && <Opens to={`/plans/${decision.plan}`}>See its plan</Opens>}
          {givesUp && mayChange && <GiveUp decision={decision} onDone={onChanged} />}
          {reruns && mayChange && <Rerun runs={decision.runs} />}
          {letsGo && mayChange && <LetGo decision={decision} onDone={onChanged} />}
        </span>
        {acting && (
          <MatterSlip
            decision={decision}
            people={people}
            onClose={() => setActing(false)}
            onDone={() => {
              setActing(false)
              onChanged()
            }}
          />
        )}
      </TableCell>
    </TableRow>
  )
} // prettier-ignore

const Opens = ({ to, children }: { readonly to: string; readonly children: ReactNode }): ReactElement => (
  <Button component={Link} to={to} sx={{ flex: 'none' }}>
    {children}
  </Button>
)

/** What is done with a reason, asked for in a slip. */
function WithReason({ decision, button, says, placeholder, leave, act, onDone }: { readonly decision: Decision; readonly button: string; readonly says: string; readonly placeholder: string; readonly leave: string; readonly act: (why: string) => Promise<string>; readonly onDone: () => void }): ReactElement {
  const [asking, setAsking] = useState(false)
  const [why, setWhy] = useState('')
  const [fault, setFault] = useState<Error>()
  const go = async () => {
    say(await act(why))
    setAsking(false)
    setWhy('')
    onDone()
  }
  return (
    <>
      <Button sx={{ flex: 'none' }} onClick={() => setAsking(true)}>
        {button}
      </Button>
      {asking && (
        <Slip title={decision.title} onClose={() => setAsking(false)}>
          <p style={{ margin: '0 0 10px' }}>{says}</p>
          <TextInput label="why" value={why} autoFocus placeholder={placeholder} onChange={setWhy} />
          {fault && <FaultBox error={fault} />}
          <div className="line" style={{ justifyContent: 'flex-end', marginTop: 12 }}>
            <Button onClick={() => setAsking(false)}>{leave}</Button>
            <Button variant="contained" color="primary" disabled={why.trim().length < 3} onClick={() => void go().catch(setFault)}>
              {button}
            </Button>
          </div>
        </Slip>
      )}
    </>
  )
} // prettier-ignore

/** Lets what waits go without it, with the reason. */
const LetGo = ({ decision, onDone }: { readonly decision: Decision; readonly onDone: () => void }): ReactElement => (
  <WithReason
    decision={decision}
    button="Let go"
    says={`All loads of ${runsText(decision)} that wait begin without what they wait for.`}
    placeholder="why they need not wait"
    leave="Let them wait"
    act={async (why) => {
      let loads = 0
      for (const id of oldestFirst(decision.runs)) loads += (await call(routes.letGo, { params: { id }, body: { why } })).loads
      return loads === 0 ? 'nothing of that waits any more' : `${count(loads, 'load')} ${loads === 1 ? 'goes' : 'go'} without it`
    }}
    onDone={onDone}
  />
) // prettier-ignore

/** Gives up what failed, with the reason: what waits for it goes on. */
const GiveUp = ({ decision, onDone }: { readonly decision: Decision; readonly onDone: () => void }): ReactElement => (
  <WithReason
    decision={decision}
    button="Set aside"
    says={`What failed in ${runsText(decision)} counts as left out: what waits for its slices goes on without it. A rerun brings it back.`}
    placeholder="why it is not needed"
    leave="Leave it"
    act={async (why) => {
      let loads = 0
      for (const id of oldestFirst(decision.runs)) loads += (await call(routes.giveUpFailed, { params: { id }, body: { why } })).loads
      return loads === 0 ? 'it goes on, or was run again meanwhile' : `${count(loads, 'load')} set aside`
    }}
    onDone={onDone}
  />
) // prettier-ignore

const oldestFirst = (runs: readonly number[]): number[] => [...runs].sort((a, b) => a - b)
const runsText = ({ runs }: Decision): string =>
  runs.length === 1 ? `run ${runs[0]}` : `runs ${some(oldestFirst(runs).map(String), 5)}`

/** Runs again what is not done in some runs, the oldest first, and goes to the last; a press does so once in each. */
function Rerun({ runs }: { readonly runs: readonly number[] }): ReactElement {
  // two of them may be of one plan, of which a press begins one run
  const presses = useRef(new Map<number, string>())
  const pressOf = (run: number): string => {
    const press = presses.current.get(run) ?? newPress()
    presses.current.set(run, press)
    return press
  }
  const starting = useStarting(
    useCallback(
      async (body) => {
        let last: { run: number } | undefined
        let nothing: ApiFault | undefined
        for (const id of oldestFirst(runs)) {
          try {
            last = await call(routes.rerun, {
              params: { id },
              body: { ...body, press: pressOf(id), from: { failed: true } },
            })
          } catch (error) {
            // of one all may be done by now
            if (!(error instanceof ApiFault) || error.fault.code !== 'no-loads') throw error
            nothing = error
          }
        }
        presses.current.clear()
        if (!last) throw nothing!
        return last
      },
      [runs],
    ),
  )
  return (
    <>
      {starting.fault && <FaultBox error={starting.fault} />}
      <Button
        variant="contained"
        color="primary"
        sx={{ flex: 'none' }}
        onClick={starting.begin}
        title={`all that is not done in ${runs.length === 1 ? `run ${runs[0]}` : `${count(runs.length, 'run')}`}`}
      >
        Rerun
      </Button>
      {starting.asking}
    </>
  )
}
