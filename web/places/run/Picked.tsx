import { Button, TextField } from '@mui/material'
import { useMemo, useState, type ReactElement } from 'react'
import type { Answer } from '../../../contract/route'
import { routes } from '../../../contract/routes'
import { call } from '../../data/api'
import { Confirm } from '../../kit/Confirm'
import { FaultBox } from '../../kit/Fault'
import { say } from '../../kit/Notice'
import { count, numberText } from '../../look/times'
import type { LoadRow } from './LoadChart'
import { RerunDialog } from './RerunDialog'

type RunAnswer = Answer<typeof routes.run>
type Asking = 'aside' | 'go' | 'rerun' | undefined

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
  const [wait, held, failed] = [of('waiting', 'ready'), of('held'), of('failed')]
  const aside = [...wait, ...held, ...failed]
  const undone = useMemo(
    () => idsOf(picked.filter(({ state }) => ['failed', 'stopped', 'skipped'].includes(state))),
    [picked],
  )
  const early = of('waiting')
  const ended = useMemo(
    () => idsOf(picked.filter(({ state }) => ['done', 'failed', 'stopped', 'skipped'].includes(state))),
    [picked],
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
        {goesOn && wait.length + aside.length === 0 && (
          <span className="soft">none of them waits, is held or failed</span>
        )}
        {!goesOn && undone.length === 0 && <span className="soft">all of them are done</span>}
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
          {goesOn && aside.length > 0 && (
            <Button onClick={() => setAsking('aside')}>Set {numberText(aside.length)} aside</Button>
          )}
          {!goesOn && ended.length > 0 && (
            <Button onClick={() => setAsking('rerun')}>
              {undone.length > 0 ? `Rerun ${numberText(undone.length)}` : 'Rerun from a step'}
            </Button>
          )}
          <Button variant="text" onClick={onClear}>
            Clear
          </Button>
        </span>
      </div>
      {fault && <FaultBox error={fault} />}
      {asking === 'rerun' && (
        <RerunDialog run={run} loads={ended} undone={undone.length} onClose={() => setAsking(undefined)} />
      )}
      {asking === 'aside' && (
        <Confirm
          title={`Set ${count(aside.length, 'load')} aside?`}
          yes="Set aside"
          onNo={() => setAsking(undefined)}
          onYes={async () => {
            const { loads } = await call(routes.setAside, { params, body: { loads: idsOf(aside) } }) // prettier-ignore
            done(`${count(loads, 'load')} set aside`)
          }}
        >
          <p style={{ margin: 0 }}>
            They are not run, and the rest of the run goes on as if they were not in it. A rerun brings them
            back.
            {held.length > 0 && ' What the steps of held ones have written stays.'}
            {failed.length > 0 &&
              ` ${count(failed.length, 'load')} that failed no longer ${failed.length === 1 ? 'keeps' : 'keep'} back what waits for their part.`}
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
