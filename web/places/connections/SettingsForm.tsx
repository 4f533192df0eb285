import { Button, TextField } from '@mui/material'
import { useState, type FormEvent, type ReactElement } from 'react'
import { routes } from '../../../contract/routes'
import { ApiFault, call } from '../../data/api'
import { useHere } from '../../data/session'
import { FaultBox } from '../../parts/Fault'
import type { Connection } from './answers'
import { firstValues, secretOf, settingsFrom, SettingsFields, type Values } from './SettingsFields'

/** Settings of a connection in one environment. A secret left empty stays as it is. */
export function SettingsForm({
  connection,
  onClose,
}: {
  connection: Connection
  onClose: (changed: boolean) => void
}): ReactElement {
  const { environment } = useHere()
  const given = connection.settings.find((entry) => entry.environment === environment)
  const near = given ?? connection.settings[0]
  const [values, setValues] = useState<Values>(() => firstValues(connection.kind, near?.settings))
  const [secret, setSecret] = useState('')
  const [title, setTitle] = useState(connection.title)
  const [cap, setCap] = useState(connection.cap === null ? '' : String(connection.cap))
  const [fault, setFault] = useState<Error>()
  const wrong = fault instanceof ApiFault ? fault.fault.where.path : undefined
  const secretWords = secretOf(connection.kind, values)
  const save = async () => {
    const settings = settingsFrom(connection.kind, values)
    if (title !== connection.title || cap !== String(connection.cap ?? '')) {
      await call(routes.changeConnection, {
        params: { name: connection.name },
        body: { title, cap: cap === '' ? null : Number(cap) },
      })
    }
    await call(routes.saveSettings, {
      params: { name: connection.name, environment },
      body: { settings, ...(secret === '' ? {} : { secret }) },
    })
    onClose(true)
  }
  const submit = (event: FormEvent) => {
    event.preventDefault()
    save().catch(setFault)
  }
  return (
    <form onSubmit={submit} className="stack" style={{ paddingTop: 6 }}>
      <SettingsFields
        kind={connection.kind}
        values={values}
        onValues={setValues}
        wrong={new Set(wrong === undefined ? [] : [wrong])}
      />
      {secretWords && (
        <TextField
          label={
            given?.hasSecret
              ? `New ${secretWords} (empty: keep the one there is)`
              : `${secretWords[0]!.toUpperCase()}${secretWords.slice(1)}`
          }
          type="password"
          autoComplete="new-password"
          value={secret}
          onChange={(event) => setSecret(event.target.value)}
        />
      )}
      <div className="line">
        <TextField
          label="Title, in every environment"
          value={title}
          onChange={(event) => setTitle(event.target.value)}
          sx={{ flex: 1 }}
        />
        <TextField
          label="Loads at once (empty: no cap)"
          value={cap}
          onChange={(event) => setCap(event.target.value.replace(/\D/g, ''))}
          sx={{ width: 210 }}
        />
      </div>
      {fault && <FaultBox error={fault} />}
      <div className="line">
        <Button type="submit" variant="contained" color="primary">
          Save for {environment}
        </Button>
        <Button onClick={() => onClose(false)}>Leave as it was</Button>
      </div>
    </form>
  )
}
