import { needsSchema } from '../../../core/connection/needs'
import { useMemo, type ReactElement } from 'react'
import { z } from 'zod'
import { routes } from '../../../contract/routes'
import { connectorOf } from '../../../core/connection/connection'
import type { Settings } from '../../../core/connection/definition'
import { field, fieldsOf } from '../../../core/field/field'
import { call } from '../../data/api'
import { useHere } from '../../data/session'
import { Form } from '../../kit/Form'
import type { Connection } from './answers'

/** What stands in the fields at first: what is set, else what holds where nothing is set. */
export const firstSettings = (kind: Connection['kind'], settings: Readonly<Settings> = {}): Settings =>
  Object.fromEntries(
    fieldsOf(connectorOf(kind).settings).map(({ key, preset, takes }) => [
      key,
      settings[key] ?? (preset as string | number | undefined) ?? (takes.kind === 'integer' ? 5432 : ''),
    ]),
  )

/** The form of a connection: its settings here, its secret, and what holds in every environment. */
const formOf = (
  kind: Connection['kind'],
  secret: string | undefined,
  there: boolean,
  moved: string | undefined,
) =>
  z.strictObject({
    settings: field(connectorOf(kind).settings, { label: 'settings here' }),
    ...(secret === undefined
      ? {}
      : {
          secret: field(z.string(), {
            label: secret,
            secret: true,
            usual:
              moved !== undefined
                ? `was given for ${moved}: give it again`
                : there
                  ? 'as it is; type a new one to change it'
                  : '',
          })
            .optional()
            .describe(
              moved === undefined
                ? 'kept encrypted and never shown; left empty, the one there is stays'
                : `kept encrypted and never shown; the one there is was given for ${moved}, so it is asked for again`,
            ),
        }),
    title: z.string().min(1, 'needs a value').describe('what it is called, in every environment'),
    cap: field(z.int().min(1).max(1000), { label: 'loads at once', usual: 'no cap' })
      .optional()
      .describe('loads that may use it at the same time, in every environment'),
    needs: field(needsSchema, { label: 'needs', usual: 'nothing: every worker reaches it' })
      .optional()
      .describe('tags, such as office; only workers that were started with all of them take its loads'),
  })

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
  const { kind, name, title, cap, needs } = connection
  const there = given?.hasSecret ?? false
  const schemaFor = useMemo(
    () => (values: { settings?: unknown }) => {
      const { secret, givenTo } = connectorOf(kind)
      const now = (values.settings ?? {}) as Readonly<Record<string, unknown>>
      const before = given && givenTo?.(given.settings)
      return formOf(kind, secret(now), there, there && before !== givenTo?.(now) ? before : undefined)
    },
    [kind, there, given],
  )
  const values = {
    settings: firstSettings(kind, near?.settings),
    title,
    cap: cap ?? undefined,
    needs: [...needs],
  }
  return (
    <Form
      schema={formOf(kind, undefined, there, undefined)}
      schemaFor={schemaFor}
      values={values}
      submit={`Save for ${environment}`}
      place={(path) => (/^(secret$|settings\.)/.test(path) ? path : `settings.${path}`)}
      onCancel={() => onClose(false)}
      onSubmit={async (next) => {
        const { secret } = next as { secret?: string }
        const tags = next.needs ?? []
        if (next.title !== title || (next.cap ?? null) !== cap || tags.join() !== needs.join())
          await call(routes.changeConnection, {
            params: { name },
            body: { title: next.title, cap: next.cap ?? null, needs: tags },
          })
        await call(routes.saveSettings, {
          params: { name, environment },
          body: { settings: next.settings, ...(secret ? { secret } : {}) },
        })
        onClose(true)
      }}
    />
  )
}
