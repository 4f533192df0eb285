import { Lines } from '../../kit/Lines'
import { Radio, TableBody, TableCell, TableHead, TableRow } from '@mui/material'
import { useState, type ReactElement } from 'react'
import { compareSchemas, isSame, typeText } from '../../../core/catalog/compare'
import { timeText } from '../../look/times'
import { ChangeLines } from './SchemaColumns'
import type { DatasetData } from './answers'

/** Every schema it had; two of them beside each other. */
export function SchemaVersions({ data }: { data: DatasetData }): ReactElement {
  const { versions } = data
  const [after, setAfter] = useState(versions[0]?.version ?? 1)
  const [before, setBefore] = useState(versions[1]?.version ?? versions[0]?.version ?? 1)
  const columnsOf = (version: number) => versions.find((entry) => entry.version === version)?.columns ?? []
  const [old, now] = [columnsOf(before), columnsOf(after)]
  const change = compareSchemas(
    old as Parameters<typeof compareSchemas>[0],
    now as Parameters<typeof compareSchemas>[1],
  )
  const names = [...new Set([...now, ...old].map(({ name }) => name))]
  const text = (columns: typeof old, name: string) => {
    const column = columns.find((entry) => entry.name === name)
    return column ? typeText(column as Parameters<typeof typeText>[0]) : undefined
  }
  return (
    <div className="sheet" style={{ overflowY: 'auto' }}>
      <Lines>
        <TableHead>
          <TableRow>
            <TableCell>version</TableCell>
            <TableCell>from</TableCell>
            <TableCell>by</TableCell>
            <TableCell className="number">columns</TableCell>
            <TableCell>compare</TableCell>
            <TableCell>with</TableCell>
          </TableRow>
        </TableHead>
        <TableBody>
          {versions.map(({ version, at, by, columns }) => (
            <TableRow key={version}>
              <TableCell>{version}</TableCell>
              <TableCell>{timeText(at)}</TableCell>
              <TableCell>{by}</TableCell>
              <TableCell className="number">{columns.length}</TableCell>
              <TableCell>
                <Radio
                  size="small"
                  name="before"
                  checked={before === version}
                  slotProps={{ input: { 'aria-label': `compare version ${version}` } }}
                  onChange={() => setBefore(version)}
                />
              </TableCell>
              <TableCell>
                <Radio
                  size="small"
                  name="after"
                  checked={after === version}
                  slotProps={{ input: { 'aria-label': `with version ${version}` } }}
                  onChange={() => setAfter(version)}
                />
              </TableCell>
            </TableRow>
          ))}
        </TableBody>
      </Lines>
      {before !== after && (
        <>
          <h2 style={{ marginTop: 14 }}>
            From version {before} to {after} {isSame(change) && <small>nothing is different</small>}
          </h2>
          <ChangeLines change={change as Parameters<typeof ChangeLines>[0]['change']} />
          <Lines style={{ marginTop: 8 }}>
            <TableHead>
              <TableRow>
                <TableCell>column</TableCell>
                <TableCell>version {before}</TableCell>
                <TableCell>version {after}</TableCell>
              </TableRow>
            </TableHead>
            <TableBody>
              {names.map((name) => {
                const [was, is] = [text(old, name), text(now, name)]
                return (
                  <TableRow key={name} className={was === is ? 'soft' : undefined}>
                    <TableCell className="mono">{name}</TableCell>
                    <TableCell>{was ?? <span className="absent">—</span>}</TableCell>
                    <TableCell className={was === is ? undefined : 'look'}>
                      {is ?? <span className="absent">—</span>}
                    </TableCell>
                  </TableRow>
                )
              })}
            </TableBody>
          </Lines>
        </>
      )}
    </div>
  )
}
