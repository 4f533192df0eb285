import type { ReactElement } from 'react'
import { routes } from '../../../contract/routes'
import { useAnswer } from '../../data/api'
import { timeText } from '../../look/times'
import { FaultBox, Waiting } from '../../parts/Fault'

/** Every change made here, newest first: who, when, and what it was before. */
export function History({ name }: { name: string }): ReactElement {
  const { data, error } = useAnswer(routes.controlHistory, { params: { name } })
  return (
    <section
      className="sheet"
      aria-labelledby="history"
      style={{ maxHeight: 260, overflow: 'auto', flex: 'none' }}
      tabIndex={0}
    >
      <h2 id="history">
        History <small>changes made here, newest first; what other programs change is not seen</small>
      </h2>
      {error && <FaultBox error={error} />}
      {!data && !error && <Waiting what="reading" />}
      {data?.length === 0 && <span className="soft">Nothing was changed here yet.</span>}
      {data && data.length > 0 && (
        <table className="plain">
          <tbody>
            {data.map((change) => (
              <tr key={change.id}>
                <td className="keep">{timeText(change.at)}</td>
                <td className="keep">{change.by}</td>
                <td className="mono">{change.rowKey}</td>
                <td>
                  {change.before === null ? (
                    'row added'
                  ) : change.after === null ? (
                    'row removed'
                  ) : (
                    <>
                      {Object.keys(change.after)
                        .filter((column) => change.after![column] !== change.before![column])
                        .map((column) => (
                          <span key={column} style={{ marginRight: 14 }}>
                            {column} <s className="mono soft">{String(change.before![column] ?? 'empty')}</s>{' '}
                            → <span className="mono">{String(change.after![column] ?? 'empty')}</span>
                          </span>
                        ))}
                    </>
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </section>
  )
}
