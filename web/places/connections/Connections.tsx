import { Panels } from '../../kit/Panels'
import { Table, type TableColumn } from '../../kit/Table'
import { fieldsOf } from '../../../core/field/field'
import { Lines } from '../../kit/Lines'
import { connectorOf } from '../../../core/connection/connection'
import type { Connection } from './answers'
import { Button, TableBody, TableCell, TableRow } from '@mui/material'
import { useMemo, useState, type ReactElement } from 'react'
import { Link, useSearchParams } from 'react-router'
import type { Answer } from '../../../contract/route'
import { routes } from '../../../contract/routes'
import { call, useAnswer } from '../../data/api'
import { useHere, useMay } from '../../data/session'
import { count, lengthText, timeText } from '../../look/times'
import { Empty, FaultBox, Waiting } from '../../kit/Fault'
import { AddConnection } from './AddConnection'
import { SettingsForm } from './SettingsForm'

type Test = Answer<typeof routes.testConnection>

/** Ways to reach systems: the same names in every environment, other settings. */
export default function Connections(): ReactElement {
  const { environment } = useHere()
  const mayChange = useMay('house')
  const [search, setSearch] = useSearchParams()
  const columns = useMemo(() => columnsFor(environment), [environment])
  const { data, error, mutate } = useAnswer(
    routes.connections,
    { query: { environment } },
    { keepPreviousData: true },
  )
  const [adding, setAdding] = useState(false)
  if (error && !data) return <FaultBox error={error} />
  if (!data) return <Waiting what="reading the connections" />
  const open = data.find(({ name }) => name === search.get('open')) ?? data[0]
  return (
    <>
      <div className="head">
        <h1>Connections</h1>
        <span className="soft">settings and tests for {environment}</span>
        {mayChange && (
          <div className="actions">
            <Button onClick={() => setAdding(true)}>Add a connection</Button>
          </div>
        )}
      </div>
      {adding && (
        <AddConnection
          onClose={(name) => {
            setAdding(false)
            void mutate()
            if (name) setSearch({ open: name })
          }}
        />
      )}
      {data.length === 0 ? (
        <Empty>
          A connection is a way to reach a database, a file store or an HTTP service, or somebody who is to be
          told something. Jobs name connections; each environment gives them settings of its own.
        </Empty>
      ) : (
        <Panels name="connections" first={38} least={[300, 380]}>
          <div className="sheet flush rows">
            <Table
              label="connections"
              columns={columns}
              rows={data}
              rowHeight={46}
              current={data.indexOf(open!)}
              onOpen={({ name }) => setSearch({ open: name })}
            />
          </div>
          {open && (
            <OneConnection
              key={`${open.name} ${environment}`}
              connection={open}
              onChanged={() => void mutate()}
            />
          )}
        </Panels>
      )}
    </>
  )
}

const columnsFor = (environment: string): readonly TableColumn<Connection>[] => [
  {
    id: 'name',
    title: 'connection',
    width: 'minmax(170px, 1.6fr)',
    value: ({ name }) => name,
    cell: ({ name, title }) => (
      <span className="two-lines">
        <b className="mono">{name}</b>
        <span className="soft">{title}</span>
      </span>
    ),
    hint: ({ title }) => title,
  },
  {
    id: 'kind',
    title: 'kind',
    width: '132px',
    value: ({ kind }) => connectorOf(kind).title,
    cell: ({ kind, settings }) => (
      <span className="two-lines">
        <span>{connectorOf(kind).title}</span>
        {!settings.some((entry) => entry.environment === environment) && (
          <span className="bad">no settings in {environment}</span>
        )}
      </span>
    ),
  },
  {
    id: 'active',
    title: 'in use',
    width: '80px',
    number: true,
    value: ({ active }) => active,
    cell: ({ active, cap }) => (
      <>
        {active}
        {cap !== null && <span className="soft"> of {cap}</span>}
      </>
    ),
  },
]

function OneConnection({
  connection,
  onChanged,
}: {
  connection: Connection
  onChanged: () => void
}): ReactElement {
  const { environment } = useHere()
  const mayChange = useMay('house')
  const [test, setTest] = useState<Test>()
  const [fault, setFault] = useState<Error>()
  const [testing, setTesting] = useState(false)
  const [editing, setEditing] = useState(false)
  const given = connection.settings.find((entry) => entry.environment === environment)
  const secretWords = connectorOf(connection.kind).secret(given?.settings ?? {})
  const others = connection.settings
    .filter((entry) => entry.environment !== environment)
    .map((entry) => entry.environment)
  const run = () => {
    setTesting(true)
    setFault(undefined)
    call(routes.testConnection, { params: { name: connection.name }, body: { environment } })
      .then(setTest, setFault)
      .finally(() => setTesting(false))
  }
  return (
    <div className="stack">
      <section className="sheet" aria-labelledby="settings">
        <div className="line" style={{ marginBottom: 6 }}>
          <h2 id="settings" style={{ margin: 0 }}>
            <span className="mono">{connection.name}</span> in {environment}{' '}
            <small>{connectorOf(connection.kind).title}</small>
          </h2>
          {given && connectorOf(connection.kind).holds !== 'nothing' && (
            <Link to={`/connections/${connection.name}`} style={{ marginLeft: 'auto' }}>
              what is in it
            </Link>
          )}
          {mayChange && !editing && (
            <Button style={given ? {} : { marginLeft: 'auto' }} onClick={() => setEditing(true)}>
              {given ? 'Change' : 'Give it settings'}
            </Button>
          )}
        </div>
        {editing ? (
          <SettingsForm
            connection={connection}
            onClose={(changed) => {
              setEditing(false)
              if (changed) {
                setTest(undefined)
                onChanged()
              }
            }}
          />
        ) : given ? (
          <Lines>
            <TableBody>
              {fieldsOf(connectorOf(connection.kind).settings)
                .map(({ key, label }) => [label, given.settings[key] ?? ''] as const)
                .filter(([, value]) => value !== '')
                .map(([name, value]) => (
                  <TableRow key={name}>
                    <TableCell component="th" scope="row" style={{ width: 90 }}>
                      {name}
                    </TableCell>
                    <TableCell className="mono" style={{ whiteSpace: 'pre-line' }}>
                      {value}
                    </TableCell>
                  </TableRow>
                ))}
              {secretWords !== undefined && (
                <TableRow>
                  <TableCell component="th" scope="row">
                    {secretWords}
                  </TableCell>
                  <TableCell className="soft">
                    {given.hasSecret ? 'kept, encrypted; it is never shown' : 'none'}
                  </TableCell>
                </TableRow>
              )}
              <TableRow>
                <TableCell component="th" scope="row">
                  at once
                </TableCell>
                <TableCell>
                  {connection.cap === null ? 'no cap' : `${count(connection.cap, 'load')} at most`}
                </TableCell>
              </TableRow>
              {connection.needs.length > 0 && (
                <TableRow>
                  <TableCell component="th" scope="row">
                    needs
                  </TableCell>
                  <TableCell>
                    {connection.needs.map((tag) => (
                      <span key={tag} className="tag">
                        {tag}
                      </span>
                    ))}{' '}
                    <span className="soft">only workers with that reach it</span>
                  </TableCell>
                </TableRow>
              )}
              <TableRow>
                <TableCell component="th" scope="row">
                  changed
                </TableCell>
                <TableCell className="soft">
                  {timeText(given.updatedAt)} by {given.updatedBy}
                </TableCell>
              </TableRow>
            </TableBody>
          </Lines>
        ) : (
          <span className="soft">
            {connection.name} has no settings in {environment}
            {others.length > 0 && `, but in ${others.join(' and ')}`}. A plan that uses it here is stopped.
          </span>
        )}
      </section>
      <section className="sheet" aria-labelledby="test">
        <div className="line">
          <h2 id="test" style={{ margin: 0 }}>
            Test{' '}
            {test && (
              <small className={test.ok ? 'good' : 'bad'}>
                {test.ok
                  ? `works, in ${lengthText(test.steps.reduce((sum, step) => sum + step.milliseconds, 0) / 1000)}`
                  : 'does not work'}
              </small>
            )}
          </h2>
          <Button style={{ marginLeft: 'auto' }} onClick={run} disabled={testing || editing}>
            {testing ? 'Testing' : 'Test it'}
          </Button>
        </div>
        {fault && <FaultBox error={fault} />}
        {test && (
          <Lines style={{ marginTop: 6 }}>
            <TableBody>
              {test.steps.map((step) => (
                <TableRow key={step.label}>
                  <TableCell
                    style={{ width: 20 }}
                    className={step.ok ? 'good' : 'bad'}
                    aria-label={step.ok ? 'works' : 'fails'}
                  >
                    {step.ok ? '✓' : '✗'}
                  </TableCell>
                  <TableCell className="keep" style={{ width: 120 }}>
                    {step.label}
                  </TableCell>
                  <TableCell className={step.ok ? undefined : 'bad'}>{step.detail}</TableCell>
                  <TableCell className="number soft">{lengthText(step.milliseconds / 1000)}</TableCell>
                </TableRow>
              ))}
            </TableBody>
          </Lines>
        )}
        {!test && !fault && (
          <span className="soft">Says step by step what works, and how long it takes.</span>
        )}
      </section>
    </div>
  )
}
