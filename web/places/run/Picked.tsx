import { Button, TextField } from '@mui/material'
import { useCallback, useMemo, useState, type ReactElement } from 'react'
import type { Answer } from '../../../contract/route'
import { routes } from '../../../contract/routes'
import { call } from '../../data/api'
import { Confirm } from '../../kit/Confirm'
import { FaultBox } from '../../kit/Fault'
import { say } from '../../kit/Notice'
import { useStarting } from '../../kit/Starting'
import { count, numberText } from '../../look/times'
import type { LoadRow } from './LoadChart'

type RunAnswer = Answer<typeof routes.run>
type Asking = 'aside' | 'go' | undefined

interface Props {
  readonly run: RunAnswer
  readonly picked: readonly LoadRow[]
  readonly onClear: () => void
}

const idsOf = (loads: readonly LoadRow[]): number[] => loads.map(({ id }) => id)

/** What can be done with the loads that were picked, each with how many of them it is for. */
export function Picked({ run, picked, onClear }: Props): ReactElement {
  const [asking, setAsking] = useState<Asking>()
  const [why, setWhy] = useState('')
  const [fault, setFault] = useState<Error>()
  const goesOn = (run.state === 'running' || run.state === 'held') && !run.stopping
  const of = (...states: LoadRow['state'][]) => picked.filter(({ state }) => states.includes(state))
  const [wait, held] = [of('waiting', 'ready'), of('held')]
  const undone = useMemo(
    () => idsOf(picked.filter(({ state }) => ['failed', 'stopped', 'skipped'].includes(state))),
    [picked],
  )
  const early = of('waiting')
  const rerun = useStarting(
    useCallback(
      (body) => call(routes.rerun, { params: { id: run.id }, body: { ...body, loads: undone } }),
      [run.id, undone],
    ),
  )
  const done = (words: string) => {
    setAsking(undefined)
    onClear()
    say(words)
  }
  const params = { id: run.id }
  const first = () =>
    call(routes.putFirst, { params, body: { loads: idsOf(wait) } }).then(({ loads }) => done(`${count(loads, 'load')} put before the others`), setFault) // prettier-ignore
  const goOn = () =>
    call(routes.goOn, { params, body: { loads: idsOf(held) } }).then(() => done(`${count(held.length, 'load')} told to go on`), setFault) // prettier-ignore
  return (
    <>
      <div className="line picked" role="status" style={{ flexWrap: 'wrap' }}>
        <b>{numberText(picked.length)} picked</b>
        {(goesOn ? wait.length + held.length : undone.length) === 0 && (
          <span className="soft">{goesOn ? 'none of them waits or is held' : 'all of them are done'}</span>
        )}
        <span className="line" style={{ marginLeft: 'auto', gap: 6, flexWrap: 'wrap' }}>
          {goesOn && wait.length > 0 && (
            <Button onClick={() => void first()}>Put {numberText(wait.length)} first</Button>
          )}
          {goesOn && held.length > 0 && (
            <Button onClick={() => void goOn()}>Let {numberText(held.length)} go on</Button>
          )}
          {goesOn && early.length > 0 && (
            <Button onClick={() => setAsking('go')}>Let {numberText(early.length)} go now</Button>
          )}
          {goesOn && wait.length + held.length > 0 && (
            <Button onClick={() => setAsking('aside')}>
              Set {numberText(wait.length + held.length)} aside
            </Button>
          )}
          {!goesOn && undone.length > 0 && (
            <Button onClick={rerun.begin}>Rerun {numberText(undone.length)}</Button>
          )}
          <Button variant="text" onClick={onClear}>
            Clear
          </Button>
        </span>
      </div>
      {(fault ?? rerun.fault) && <FaultBox error={(fault ?? rerun.fault)!} />}
      {rerun.asking}
      {asking === 'aside' && (
        <Confirm
          title={`Set ${count(wait.length + held.length, 'load')} aside?`}
          yes="Set aside"
          onNo={() => setAsking(undefined)}
          onYes={async () => {
            const { loads } = await call(routes.setAside, { params, body: { loads: idsOf([...wait, ...held]) } }) // prettier-ignore
            done(`${count(loads, 'load')} set aside`)
          }}
        >
          <p style={{ margin: 0 }}>
            They are not run, and the rest of the run goes on as if they were not in it. A rerun brings them
            back.
            {held.length > 0 && ' What the steps of held ones have written stays.'}
          </p>
        </Confirm>
      )}
      {asking === 'go' && (
        <Confirm
          title={`Let ${count(early.length, 'load')} go before their turn?`}
          yes="Let go"
          onNo={() => setAsking(undefined)}
          onYes={async () => {
            const { loads } = await call(routes.letGo, { params, body: { loads: idsOf(early), why } })
            done(`${count(loads, 'load')} let go`)
          }}
        >
          <p style={{ marginTop: 0 }}>
            They begin as soon as there is a place, though what their part waits for has not ended. Who let
            them go, and why, is kept with them.
          </p>
          <TextField
            fullWidth
            label="Why"
            value={why}
            onChange={(event) => setWhy(event.target.value)}
            slotProps={{ htmlInput: { maxLength: 500 } }}
          />
        </Confirm>
      )}
    </>
  )
}
