import { useState, type ReactElement } from 'react'
import { compareSchemas, isSame, typeText } from '../../../core/catalog/compare'
import { timeText } from '../../look/times'
import { ChangeLines } from '../../parts/SchemaColumns'
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
      <table className="plain">
        <thead>
          <tr>
            <th>version</th>
            <th>from</th>
            <th>by</th>
            <th className="number">columns</th>
            <th>compare</th>
            <th>with</th>
          </tr>
        </thead>
        <tbody>
          {versions.map(({ version, at, by, columns }) => (
            <tr key={version}>
              <td>{version}</td>
              <td>{timeText(at)}</td>
              <td>{by}</td>
              <td className="number">{columns.length}</td>
              <td>
                <input
                  type="radio"
                  name="before"
                  aria-label={`compare version ${version}`}
                  checked={before === version}
                  onChange={() => setBefore(version)}
                />
              </td>
              <td>
                <input
                  type="radio"
                  name="after"
                  aria-label={`with version ${version}`}
                  checked={after === version}
                  onChange={() => setAfter(version)}
                />
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {before !== after && (
        <>
          <h2 style={{ marginTop: 14 }}>
            From version {before} to {after} {isSame(change) && <small>nothing is different</small>}
          </h2>
          <ChangeLines change={change as Parameters<typeof ChangeLines>[0]['change']} />
          <table className="plain" style={{ marginTop: 8 }}>
            <thead>
              <tr>
                <th>column</th>
                <th>version {before}</th>
                <th>version {after}</th>
              </tr>
            </thead>
            <tbody>
              {names.map((name) => {
                const [was, is] = [text(old, name), text(now, name)]
                return (
                  <tr key={name} className={was === is ? 'soft' : undefined}>
                    <td className="mono">{name}</td>
                    <td>{was ?? <span className="absent">—</span>}</td>
                    <td className={was === is ? undefined : 'look'}>
                      {is ?? <span className="absent">—</span>}
                    </td>
                  </tr>
                )
              })}
            </tbody>
          </table>
        </>
      )}
    </div>
  )
}
