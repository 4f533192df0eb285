import type { ReactElement } from 'react'
import type { Answer } from '../../contract/route'
import type { routes } from '../../contract/routes'
import { count, lengthText } from '../look/times'

type Statement = Answer<typeof routes.tryStep>['statements'][number]

/** Statements as they ran: where, over how many rows, how long, with the values that were bound. */
export function Statements({ list }: { list: readonly Statement[] }): ReactElement {
  return (
    <>
      {list.map((statement, i) => (
        <div key={i}>
          <span className="soft">
            {statement.text.includes('read_csv(') ? 'reading' : `on ${statement.on}`}
            {statement.rows !== undefined && `, ${count(statement.rows, 'row')}`},{' '}
            {lengthText(statement.milliseconds / 1000)}
          </span>
          {statement.error !== undefined && (
            <div className="bad" role="note">
              failed: {statement.error}
            </div>
          )}
          <pre className="code mono">
            {statement.text}
            {statement.values &&
              statement.values.length > 0 &&
              `\n-- values: ${statement.values.map((value, n) => `$${n + 1} = ${JSON.stringify(value)}`).join(', ')}`}
          </pre>
        </div>
      ))}
    </>
  )
}
