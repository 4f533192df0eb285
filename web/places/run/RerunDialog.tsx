import {
  Button,
  Dialog,
  DialogActions,
  DialogContent,
  DialogTitle,
  FormControlLabel,
  Radio,
  RadioGroup,
  TableBody,
  TableCell,
  TableHead,
  TableRow,
} from '@mui/material'
import { useCallback, useId, useMemo, useState, type ReactElement } from 'react'
import { Link, useNavigate } from 'react-router'
import useSWR from 'swr'
import { some } from '../../../core/text/someOf'
import type { Answer, Body } from '../../../contract/route'
import { routes } from '../../../contract/routes'
import { call } from '../../data/api'
import { Choice } from '../../kit/controls'
import { FaultBox, Waiting } from '../../kit/Fault'
import { Lines } from '../../kit/Lines'
import { LinkButton } from '../../kit/LinkButton'
import { say } from '../../kit/Notice'
import { useStarting } from '../../kit/Starting'
import { count, numberText } from '../../look/times'

type From = NonNullable<Body<typeof routes.rerun>['from']>
type Way = 'failed' | 'start' | 'step'
type RunAnswer = Answer<typeof routes.run>

/** Asks where the loads of a rerun begin, and says before what that keeps, does, and would bring twice. */
export function RerunDialog({
  run,
  loads,
  undone,
  onClose,
}: {
  readonly run: RunAnswer
  /** Ids; all that did not get done where it is left out. */
  readonly loads?: readonly number[]
  /** How many of them did not get done. */
  readonly undone: number
  readonly onClose: () => void
}): ReactElement {
  const id = useId()
  const steps = useMemo(() => run.parts.flatMap((part) => part.steps), [run])
  const [way, setWay] = useState<Way>(undone > 0 ? 'failed' : 'step')
  const [step, setStep] = useState(steps[0] ?? '')
  const from: From | undefined = useMemo(
    () => (way === 'failed' ? { failed: true } : way === 'step' ? { step } : undefined),
    [way, step],
  )
  const asked = useMemo(
    () => ({ ...(loads ? { loads: [...loads] } : {}), ...(from ? { from } : {}) }),
    [loads, from],
  )
  const { data: outlook, error } = useSWR<Answer<typeof routes.rerunOutlook>, Error>(
    ['rerun outlook', run.id, asked],
    () => call(routes.rerunOutlook, { params: { id: run.id }, body: asked }),
    { keepPreviousData: true, revalidateOnFocus: false },
  )
  const starting = useStarting(
    useCallback(
      (pressing) => call(routes.rerun, { params: { id: run.id }, body: { ...asked, ...pressing } }),
      [run.id, asked],
    ),
  )
  const navigate = useNavigate()
  const [planning, setPlanning] = useState(false)
  const [fault, setFault] = useState<Error>()
  const planAnew = async () => {
    setPlanning(true)
    setFault(undefined)
    try {
      const made = await call(routes.planAnew, { params: { id: run.id }, body: loads ? { loads: [...loads] } : {} })
      if (made.missing.length > 0)
        say(`${numberText(made.missing.length)} of these loads ${made.missing.length === 1 ? 'is' : 'are'} not in it: the job has no more ${some(made.missing)}`)
      await navigate(`/plans/${made.id}`)
    } catch (error) {
      setFault(error as Error)
    } finally {
      setPlanning(false)
    }
  } // prettier-ignore
  const none = outlook !== undefined && outlook.loads === 0
  return (
    <Dialog open onClose={onClose} aria-labelledby={id} fullWidth maxWidth="sm">
      <DialogTitle id={id}>
        {outlook && !none ? `Rerun ${count(outlook.loads, 'load')}` : 'Rerun'}
      </DialogTitle>
      <DialogContent>
        <RadioGroup
          value={way}
          onChange={(_event, value) => setWay(value as Way)}
          aria-label="where they begin"
        >
          {undone > 0 && (
            <FormControlLabel
              value="failed"
              control={<Radio />}
              label="each from the step that failed; what was done before it is kept"
            />
          )}
          {undone > 0 && (
            <FormControlLabel value="start" control={<Radio />} label="each from its first step" />
          )}
          <span className="line" style={{ gap: 0 }}>
            <FormControlLabel
              value="step"
              control={<Radio />}
              label={loads ? 'from the step' : 'all loads, also those done, from the step'}
            />
            <Choice
              label="step"
              value={step}
              options={steps.map((one) => [one, one] as const)}
              onChange={(value) => {
                setStep(value)
                setWay('step')
              }}
            />
          </span>
        </RadioGroup>
        {error && <FaultBox error={error} />}
        {!outlook && !error && <Waiting what="working out what that does" />}
        {none && <p className="look">No load is run by that.</p>}
        {outlook && !none && <Outlook steps={outlook.steps} />}
        {(undone > 0 || loads) && (
          <p className="soft" style={{ marginBottom: 0 }}>
            They run with the rows, files and texts that{' '}
            <Link to={`/plans/${run.plan}`}>plan {run.plan}</Link> has.{' '}
            <LinkButton disabled={planning} onClick={() => void planAnew()}>
              {planning ? 'Planning' : 'Plan them anew'}
            </LinkButton>{' '}
            with those of now.
          </p>
        )}
        {fault && <FaultBox error={fault} />}
        {starting.fault && <FaultBox error={starting.fault} />}
        {starting.asking}
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>Leave it as it is</Button>
        <Button
          variant="contained"
          color="primary"
          autoFocus
          disabled={!outlook || none}
          onClick={starting.begin}
        >
          {outlook && !none ? `Rerun ${count(outlook.loads, 'load')}` : 'Rerun'}
        </Button>
      </DialogActions>
    </Dialog>
  )
}

/** What is kept, what is done, and what would be there twice, step for step. */
function Outlook({ steps }: { steps: Answer<typeof routes.rerunOutlook>['steps'] }): ReactElement {
  const twice = steps.filter((step) => step.twice > 0)
  return (
    <>
      <Lines>
        <TableHead>
          <TableRow>
            <TableCell>step</TableCell>
            <TableCell className="number">kept in</TableCell>
            <TableCell className="number">done in</TableCell>
            <TableCell />
          </TableRow>
        </TableHead>
        <TableBody>
          {steps.map((step) => (
            <TableRow key={step.step}>
              <TableCell className="mono">{step.step}</TableCell>
              <TableCell className="number">{step.kept > 0 && count(step.kept, 'load')}</TableCell>
              <TableCell className="number">{step.again > 0 && count(step.again, 'load')}</TableCell>
              <TableCell className="look">
                {step.twice > 0 && `it appends, and was done in ${numberText(step.twice)} of them`}
              </TableCell>
            </TableRow>
          ))}
        </TableBody>
      </Lines>
      {twice.length > 0 && (
        <p className="look" style={{ marginBottom: 0 }}>
          Rows that {twice.map(({ step }) => step).join(', ')} wrote before would be there a second time.
        </p>
      )}
    </>
  )
}
