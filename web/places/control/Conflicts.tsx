import { Button } from '@mui/material'
import type { ReactElement } from 'react'
import type { Answer } from '../../../contract/route'
import type { routes } from '../../../contract/routes'
import { count } from '../../look/times'
import { cellText, keyText, type Change, type ControlAnswer } from './edits'

type Conflict = Answer<typeof routes.editControl>['conflicts'][number]

/** Rows that somebody else changed meanwhile: nothing is saved until each is settled. */
export function Conflicts({
  table,
  conflicts,
  changes,
  onSettle,
}: {
  table: ControlAnswer
  conflicts: readonly Conflict[]
  changes: readonly Change[]
  onSettle: (conflict: Conflict, mine: boolean) => void
}): ReactElement {
  return (
    <section className="fault" role="alert" style={{ flex: 'none' }}>
      <b>{count(conflicts.length, 'row')} changed while you were editing. Nothing was saved.</b> Settle each,
      then save again.
      <table className="plain">
        <tbody>
          {conflicts.map((conflict) => {
            const key = keyText(conflict.key)
            const mine = changes.find((change) => change.key === key && change.kind !== 'add')
            const before = table.rows.find((row) =>
              table.key.every((name) => row[name] === conflict.key[name]),
            )
            const theirs = table.columns.filter(
              (column) => conflict.now && before && conflict.now[column.name] !== before[column.name],
            )
            return (
              <tr key={key}>
                <td className="mono">{key}</td>
                <td>
                  {conflict.now === null
                    ? 'was removed'
                    : theirs.map((column) => (
                        <div key={column.name}>
                          {column.name}: theirs{' '}
                          <b className="mono">
                            {cellText(conflict.now![column.name] ?? null, column) || 'empty'}
                          </b>
                          , before{' '}
                          <span className="mono">
                            {cellText(before![column.name] ?? null, column) || 'empty'}
                          </span>
                        </div>
                      ))}
                </td>
                <td>
                  {mine?.kind === 'remove'
                    ? 'you remove it'
                    : mine?.cells.map(({ column, after }) => (
                        <div key={column}>
                          {column}: yours <b className="mono">{after || 'empty'}</b>
                        </div>
                      ))}
                </td>
                <td className="keep number">
                  <Button onClick={() => onSettle(conflict, false)}>Take theirs</Button>{' '}
                  <Button onClick={() => onSettle(conflict, true)}>Keep mine</Button>
                </td>
              </tr>
            )
          })}
        </tbody>
      </table>
    </section>
  )
}
