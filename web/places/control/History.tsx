import { LinkButton } from '../../kit/LinkButton'
import { Lines } from '../../kit/Lines'
import { Views } from '../../kit/Views'
import { TableBody, TableCell, TableRow } from '@mui/material'
import { useState, type ReactElement } from 'react'
import type { Answer } from '../../../contract/route'
import { routes } from '../../../contract/routes'
import { keyOf, keyText } from '../../../core/control/edits'
import { valueText, type Row } from '../../../core/value'
import { useAnswer } from '../../data/api'
import { timeText } from '../../look/times'
import { Change as ChangeText } from '../catalog/Change'
import { FaultBox, Waiting } from '../../kit/Fault'
import { field, type Draft } from '../../kit/drafts'
import { cellText, draftOf, type ControlAnswer } from './edits'

type Past = Answer<typeof routes.controlHistory>[number]
type About = 'all' | 'row' | 'cell'

/** Every change made here, newest first: who, when, what it was before; of the table, a row or a cell; each can be put back. */
export function History({
  table,
  row,
  column,
  onPutBack,
}: {
  table: ControlAnswer
  /** The row and column where the cursor stands. */
  row: Row | undefined
  column: string | undefined
  onPutBack: ((change: (drafts: readonly Draft[]) => Draft[]) => void) | undefined
}): ReactElement {
  const [wanted, setAbout] = useState<About>('all')
  const key = row && keyText(keyOf(table, row))
  // what is not chosen in the grid cannot be asked about
  const about = (wanted === 'cell' && !(key && column)) || (wanted === 'row' && !key) ? 'all' : wanted
  const query =
    about === 'all' || !key ? {} : about === 'row' || !column ? { row: key } : { row: key, column }
  const { data, error } = useAnswer(routes.controlHistory, { params: { name: table.name }, query })
  const columns = new Map(table.columns.map((entry) => [entry.name, entry]))
  const text = (values: Row, name: string) => {
    const own = columns.get(name)
    return own ? cellText(values[name] ?? null, own) : valueText(values[name] ?? null)
  }
  return (
    <>
      <div className="line" style={{ marginBottom: 4 }}>
        <Views
          label="history of"
          value={about}
          views={[
            ['all', 'all rows'],
            ...(key ? [['row', key] as const] : []),
            ...(key && column ? [['cell', column] as const] : []),
          ]}
          onChange={setAbout}
        />
        <span className="soft">changes made here, newest first; what other programs change is not seen</span>
      </div>
      {error && <FaultBox error={error} />}
      {!data && !error && <Waiting what="reading" />}
      {data?.length === 0 && <span className="soft">Nothing was changed here yet.</span>}
      {data && data.length > 0 && (
        <Lines>
          <TableBody>
            {data.map((change) => (
              <TableRow key={change.id}>
                <TableCell className="keep">{timeText(change.at)}</TableCell>
                <TableCell className="keep">{change.by}</TableCell>
                <TableCell className="mono">{change.rowKey}</TableCell>
                <TableCell>
                  {change.before === null
                    ? 'row added'
                    : change.after === null
                      ? 'row removed'
                      : changedColumns(change).map((name) => (
                          <span key={name} style={{ marginRight: 14 }}>
                            {name}{' '}
                            <ChangeText
                              before={text(change.before!, name)}
                              after={text(change.after!, name)}
                            />
                          </span>
                        ))}
                </TableCell>
                <TableCell className="number">
                  {onPutBack && change.before !== null && (
                    <LinkButton
                      onClick={() =>
                        onPutBack((drafts) =>
                          restored(table, drafts, change, about === 'cell' ? column : undefined),
                        )
                      }
                    >
                      put back
                    </LinkButton>
                  )}
                </TableCell>
              </TableRow>
            ))}
          </TableBody>
        </Lines>
      )}
    </>
  )
}

const changedColumns = ({ before, after }: Past): string[] =>
  Object.keys(after ?? {}).filter(
    (name) => valueText(after![name] ?? null) !== valueText(before?.[name] ?? null),
  )

/** The drafts with a row, or what of it was changed, as it was before; not saved until somebody does. */
function restored(
  table: ControlAnswer,
  drafts: readonly Draft[],
  change: Past,
  column: string | undefined,
): Draft[] {
  const before = change.before!
  const now = change.after ?? before
  const keyNow = table.key.map((name) => field(name))
  const is = (draft: Draft) =>
    keyNow.every((name, i) => draft[name] === cellText(now[table.key[i]!] ?? null, table.columns.find((entry) => entry.name === table.key[i])!)) // prettier-ignore
  if (!drafts.some(is)) return [...drafts, draftOf(table, before, -1)]
  const names =
    column === undefined ? (change.after ? changedColumns(change) : Object.keys(before)) : [column]
  const old = draftOf(table, before, -1)
  const cells = Object.fromEntries(names.map((name) => [field(name), old[field(name)] ?? '']))
  return drafts.map((draft) => (is(draft) ? { ...draft, ...cells } : draft))
}
