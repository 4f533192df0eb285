import { Dialog, InputBase } from '@mui/material'
import { useDeferredValue, useMemo, useState, type KeyboardEvent, type ReactElement } from 'react'
import { useNavigate } from 'react-router'
import { routes } from '../../contract/routes'
import { useAnswer } from '../data/api'
import { useHere } from '../data/session'

interface Target {
  readonly kind: string
  readonly name: string
  readonly more: string
  readonly path: string
}

/** Go to anything by a few letters of its name, or to a run by its number. */
export default function GoTo({ onClose }: { onClose: () => void }): ReactElement {
  const { environment } = useHere()
  const navigate = useNavigate()
  const [text, setText] = useState('')
  const [at, setAt] = useState(0)
  const jobs = useAnswer(routes.jobs, {})
  const tables = useAnswer(routes.controlTables, { query: { environment } })
  const connections = useAnswer(routes.connections, { query: { environment } })
  const letters = useDeferredValue(text.trim())
  const datasets = useAnswer(
    routes.datasets,
    letters.length > 1 ? { query: { environment, search: letters, limit: 8 } } : null,
    { keepPreviousData: true },
  )
  const found = useMemo(() => {
    const all: Target[] = [
      ...(jobs.data ?? []).map(({ name, title }) => ({
        kind: 'job',
        name: title,
        more: name,
        path: `/jobs/${name}`,
      })),
      ...(tables.data ?? []).map(({ name, title }) => ({
        kind: 'control table',
        name,
        more: title,
        path: `/control/${name}`,
      })),
      ...(connections.data ?? []).map(({ name, title }) => ({
        kind: 'connection',
        name,
        more: title,
        path: `/connections?open=${name}`,
      })),
      ...(datasets.data?.datasets ?? []).map(({ id, name, locator }) => ({
        kind: 'dataset',
        name,
        more: locator,
        path: `/catalog/${id}`,
      })),
      { kind: 'place', name: 'Catalog', more: '', path: '/catalog' },
      { kind: 'place', name: 'Morning sheet', more: '', path: '/' },
      { kind: 'place', name: 'Ledger', more: '', path: '/ledger' },
    ]
    const number = /^(?:run )?(\d+)$/.exec(text.trim())
    const wanted = text.trim().toLowerCase()
    return [
      ...(number ? [{ kind: 'run', name: `run ${number[1]}`, more: '', path: `/runs/${number[1]}` }] : []),
      ...all.filter(({ name, more }) => `${name} ${more}`.toLowerCase().includes(wanted)),
    ].slice(0, 14)
  }, [jobs.data, tables.data, connections.data, datasets.data, text])
  const open = (target: Target | undefined) => {
    if (!target) return
    onClose()
    void navigate(target.path)
  }
  const keys = (event: KeyboardEvent) => {
    if (event.key === 'ArrowDown') setAt(Math.min(found.length - 1, at + 1))
    else if (event.key === 'ArrowUp') setAt(Math.max(0, at - 1))
    else if (event.key === 'Enter') open(found[at])
    else return
    event.preventDefault()
  }
  return (
    <Dialog
      open
      onClose={onClose}
      fullWidth
      maxWidth="sm"
      aria-label="go to"
      sx={{ '& .MuiDialog-container': { alignItems: 'flex-start', pt: 6 } }}
    >
      <InputBase
        autoFocus
        value={text}
        placeholder="a job, table, dataset, connection, or the number of a run"
        onChange={(event) => {
          setText(event.target.value)
          setAt(0)
        }}
        onKeyDown={keys}
        sx={{ px: 2, py: 1, fontSize: 14, borderBottom: '1px solid var(--rule)' }}
        inputProps={{
          'aria-label': 'go to',
          role: 'combobox',
          'aria-expanded': true,
          'aria-controls': 'go-list',
          'aria-activedescendant': `go-${at}`,
        }}
      />
      <div id="go-list" role="listbox" aria-label="found">
        {found.map((target, i) => (
          <div
            key={target.path}
            id={`go-${i}`}
            role="option"
            aria-selected={i === at}
            onClick={() => open(target)}
            onMouseMove={() => setAt(i)}
            style={{
              display: 'flex',
              gap: 10,
              padding: '6px 16px',
              cursor: 'pointer',
              background: i === at ? 'var(--tint)' : undefined,
            }}
          >
            <span style={{ flex: 1 }}>
              {target.name} <span className="soft">{target.more}</span>
            </span>
            <span className="soft">{target.kind}</span>
          </div>
        ))}
        {found.length === 0 && <div className="empty">nothing is called that</div>}
      </div>
    </Dialog>
  )
}
