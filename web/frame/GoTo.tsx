import { Dialog } from '@mui/material'
import { Command } from 'cmdk'
import { useDeferredValue, useMemo, useState, type ReactElement } from 'react'
import { useNavigate } from 'react-router'
import { routes } from '../../contract/routes'
import { useAnswer } from '../data/api'
import { useHere } from '../data/session'
import { places } from '../places'

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
  const [chosen, setChosen] = useState<string>()
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
      ...places.flatMap(({ name, path }) => (name ? [{ kind: 'place', name, more: '', path }] : [])),
    ]
    const number = /^(?:run )?(\d+)$/.exec(text.trim())
    const wanted = text.trim().toLowerCase()
    return [
      ...(number ? [{ kind: 'run', name: `run ${number[1]}`, more: '', path: `/runs/${number[1]}` }] : []),
      ...all.filter(({ name, more }) => `${name} ${more}`.toLowerCase().includes(wanted)),
    ].slice(0, 14)
  }, [jobs.data, tables.data, connections.data, datasets.data, text])
  const open = (target: Target) => {
    onClose()
    void navigate(target.path)
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
      {/* what is found is filtered here: runs are found by their number, datasets by the server */}
      <Command
        shouldFilter={false}
        label="go to"
        className="go-to"
        value={found.some(({ path }) => path === chosen) ? chosen! : (found[0]?.path ?? '')}
        onValueChange={setChosen}
      >
        <Command.Input
          autoFocus
          value={text}
          onValueChange={(next) => {
            setText(next)
            setChosen(undefined)
          }}
          placeholder="a job, table, dataset, connection, or the number of a run"
        />
        <Command.List label="found">
          {found.map((target) => (
            <Command.Item key={target.path} value={target.path} onSelect={() => open(target)}>
              <span style={{ flex: 1 }}>
                {target.name} <span className="soft">{target.more}</span>
              </span>
              <span className="soft">{target.kind}</span>
            </Command.Item>
          ))}
          <Command.Empty className="empty">nothing is called that</Command.Empty>
        </Command.List>
      </Command>
    </Dialog>
  )
}
