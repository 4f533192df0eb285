import { Button } from '@mui/material'
import type { ReactElement } from 'react'
import { count } from '../../look/times'
import type { Change } from './edits'

const words = { change: 'changed', add: 'new row', remove: 'row removed' }

/** What is not saved yet, row by row, with what is wrong in it; each can be put back. */
export function Changes({
  changes,
  onUndo,
  onPutBack,
}: {
  changes: readonly Change[]
  onUndo: (() => void) | undefined
  onPutBack: (change: Change) => void
}): ReactElement {
  return (
    <section
      className="sheet"
      aria-labelledby="changes"
      style={{ maxHeight: 210, overflow: 'auto', flex: 'none' }}
      tabIndex={0}
    >
      <div className="line">
        <h2 id="changes" style={{ margin: 0 }}>
          Not saved{' '}
          <small>
            {changes.length === 0
              ? 'nothing: type in a cell, paste a block, drag a corner to fill down'
              : count(changes.length, 'row')}
          </small>
        </h2>
        {onUndo && (
          <Button onClick={onUndo} style={{ marginLeft: 'auto' }}>
            Undo
          </Button>
        )}
      </div>
      {changes.length > 0 && (
        <table className="plain" style={{ marginTop: 4 }}>
          <tbody>
            {changes.map((change) => (
              <tr key={`${change.kind} ${change.at} ${change.place}`}>
                <td className="mono" style={{ width: 200 }}>
                  {change.key}
                </td>
                <td className="keep soft" style={{ width: 90 }}>
                  {words[change.kind]}
                </td>
                <td>
                  {change.kind === 'change' &&
                    change.cells.map(({ column, before, after }) => (
                      <span key={column} style={{ marginRight: 14 }}>
                        {column} <s className="mono soft">{before || 'empty'}</s> →{' '}
                        <span className="mono">{after || 'empty'}</span>
                      </span>
                    ))}
                  {change.faults.map(({ column, message }) => (
                    <b key={column} className="bad" style={{ marginRight: 14 }}>
                      {message}
                    </b>
                  ))}
                </td>
                <td className="number">
                  <button type="button" className="link-button" onClick={() => onPutBack(change)}>
                    {change.kind === 'add' ? 'take away' : 'put back'}
                  </button>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </section>
  )
}
