import type { ReactElement } from 'react'
import { z } from 'zod'
import { routes } from '../../../contract/routes'
import { connectionKinds, connectorOf } from '../../../core/connection/connection'
import { field } from '../../../core/field/field'
import { call } from '../../data/api'
import { Form } from '../../kit/Form'
import { Slip } from '../../kit/Slip'

const { shape } = routes.addConnection.body

const schema = z.strictObject({
  name: field(shape.name, { label: 'name' }).describe('as jobs will write it'),
  title: field(z.string(), { label: 'what it is', usual: 'its name' }),
  kind: field(z.enum(connectionKinds), {
    label: 'kind',
    words: Object.fromEntries(connectionKinds.map((kind) => [kind, connectorOf(kind).title])),
  }),
})

/** Adds a connection; each environment gives it settings of its own afterwards. */
export function AddConnection({ onClose }: { onClose: (name?: string) => void }): ReactElement {
  return (
    <Slip title="Add a connection" onClose={() => onClose()}>
      <Form
        schema={schema}
        values={{ name: '', title: '', kind: 'postgres' }}
        submit="Add"
        cancel="Leave it"
        onCancel={() => onClose()}
        onSubmit={async ({ name, title, kind }) => {
          await call(routes.addConnection, { body: { name, title: title || name, kind, cap: null } })
          onClose(name)
        }}
      />
    </Slip>
  )
}
