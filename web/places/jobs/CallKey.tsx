import { Button } from '@mui/material'
import { useState, type ReactElement } from 'react'
import { routes } from '../../../contract/routes'
import { call, useAnswer } from '../../data/api'
import { useHere, useMay } from '../../data/session'
import { Confirm } from '../../kit/Confirm'
import { FaultBox } from '../../kit/Fault'
import { say } from '../../kit/Notice'
import { OneTime } from '../../kit/OneTime'
import { Slip } from '../../kit/Slip'
import { timeText } from '../../look/times'

interface Props {
  readonly job: string
  readonly start: string
}

/** Where a start is called by other programs, and the key that they sign with. */
export function CallKey({ job, start }: Props): ReactElement | null {
  const { environment } = useHere()
  const mayRun = useMay('run', environment)
  const { data, error, mutate } = useAnswer(routes.callKeys, {
    params: { name: job },
    query: { environment },
  })
  const [made, setMade] = useState<{ readonly key: string; readonly path: string }>()
  const [asking, setAsking] = useState<'anew' | 'drop'>()
  const [fault, setFault] = useState<Error>()
  const known = data?.find((one) => one.start === start)
  const body = { environment, job, start }
  const make = async () => {
    setMade(await call(routes.makeCallKey, { body }))
    setAsking(undefined)
    void mutate()
  }
  const drop = async () => {
    await call(routes.dropCallKey, { body })
    setAsking(undefined)
    say('nobody can call it any more')
    void mutate()
  }
  if (!data) return error ? <FaultBox error={error} /> : null
  return (
    <div style={{ marginTop: 6 }}>
      {known ? (
        <div>
          In {environment} it is called at <code>POST {known.path}</code>
          <span className="soft">
            ; key made by {known.madeBy}, {timeText(known.madeAt)};{' '}
            {known.usedAt === null ? 'never called' : `last called ${timeText(known.usedAt)}`}
          </span>
        </div>
      ) : (
        <span className="soft">Nobody can call it in {environment} yet: it has no key there.</span>
      )}
      {fault && <FaultBox error={fault} />}
      {mayRun && (
        <div className="line" style={{ marginTop: 4 }}>
          <Button onClick={() => (known ? setAsking('anew') : void make().catch(setFault))}>
            {known ? 'Make another key' : `Make a key for ${environment}`}
          </Button>
          {known && <Button onClick={() => setAsking('drop')}>Take the key away</Button>}
        </div>
      )}
      {asking && (
        <Confirm
          title={asking === 'anew' ? 'Make another key?' : 'Take the key away?'}
          yes={asking === 'anew' ? 'Make another' : 'Take it away'}
          onYes={asking === 'anew' ? make : drop}
          onNo={() => setAsking(undefined)}
        >
          Whoever signs with the one there is can no longer begin {job} in {environment}.
        </Confirm>
      )}
      {made && (
        <Slip title={`The key of ${start}`} onClose={() => setMade(undefined)}>
          <OneTime
            text={made.key}
            words={`Programs sign their call of ${made.path} with it. Keep it where they find it: it is not shown again. The manual has a call that is signed with a shell.`}
          />
          <div className="line" style={{ justifyContent: 'flex-end', marginTop: 12 }}>
            <Button variant="contained" color="primary" onClick={() => setMade(undefined)}>
              I have it
            </Button>
          </div>
        </Slip>
      )}
    </div>
  )
}
