import { Button } from '@mui/material'
import { useMemo, type ReactElement } from 'react'
import { routes } from '../../../contract/routes'
import { useAnswer } from '../../data/api'
import { bytesText } from '../../look/times'
import { FaultBox, Waiting } from '../../kit/Fault'
import { useKeys } from '../../kit/keys'

/** One load of a plan: its row, its slice, and what every text of every step resolves to. */
export function LoadPanel({
  plan,
  number,
  onClose,
}: {
  plan: number
  number: number
  onClose: () => void
}): ReactElement {
  const { data, error } = useAnswer(routes.planLoad, { params: { id: plan, number } })
  useKeys(useMemo(() => ({ escape: onClose }), [onClose]))
  return (
    <section className="sheet" aria-label="one load" tabIndex={0} style={{ overflow: 'auto' }}>
      <div className="line" style={{ alignItems: 'baseline' }}>
        <h2 style={{ margin: 0, overflowWrap: 'anywhere' }}>{data?.key ?? `load ${number}`}</h2>
        <Button style={{ marginLeft: 'auto' }} onClick={onClose} title="Esc">
          Close
        </Button>
      </div>
      {error && <FaultBox error={error} />}
      {!data && !error && <Waiting what="resolving" />}
      {data && (
        <>
          {data.findings.map(({ code, level, message }) => (
            <p
              key={code + message}
              className={level === 'stop' ? 'bad' : level === 'look' ? 'look' : 'soft'}
              style={{ margin: '4px 0' }}
            >
              <b>{level}</b> {message}
            </p>
          ))}
          {data.slice && (
            <p className="soft" style={{ margin: '4px 0' }}>
              from <span className="mono">{data.slice.from}</span> up to{' '}
              <span className="mono">{data.slice.to}</span>
            </p>
          )}
          {data.files && data.files.names.length > 0 && (
            <p style={{ margin: '4px 0' }}>
              <span className="soft">found</span>{' '}
              <span className="mono">{data.files.names.slice(0, 5).join(', ')}</span>{' '}
              <span className="soft">
                {data.files.names.length > 5 && `and ${data.files.names.length - 5} more, `}
                {bytesText(data.files.bytes)}
              </span>
            </p>
          )}
          {data.steps.map((step) => (
            <section key={step.id} style={{ marginTop: 10 }}>
              <h3 className="rule-head">
                {step.title} <span className="soft">{step.kind}</span>
              </h3>
              <dl className="texts">
                {step.texts.map(({ path, label, written, resolved, values, later }) => (
                  <div key={path}>
                    <dt>{label}</dt>
                    <dd>
                      <code className="resolved">{later ? 'known when it runs' : (resolved ?? '?')}</code>
                      {values && values.length > 0 && (
                        <span className="soft mono">
                          {values.map((value, i) => `$${i + 1} = ${JSON.stringify(value)}`).join(', ')}
                        </span>
                      )}
                      {written !== resolved && <code className="written">{written}</code>}
                    </dd>
                  </div>
                ))}
              </dl>
            </section>
          ))}
          {data.row && (
            <section style={{ marginTop: 10 }}>
              <h3 className="rule-head">its row</h3>
              <dl className="texts">
                {Object.entries(data.row).map(([name, value]) => (
                  <div key={name}>
                    <dt>{name}</dt>
                    <dd className="mono">
                      {value === null ? <span className="absent">empty</span> : String(value)}
                    </dd>
                  </div>
                ))}
              </dl>
            </section>
          )}
        </>
      )}
    </section>
  )
}
