import { nearestName } from '../../../core/expression/nearest'
import { fail } from '../../../core/fault'
import { readControl } from '../../control/rows'
import type { ReadRoster } from './definition'

export const control: ReadRoster<'control'> = async ({ name }, { engine, environment }) => {
  const known = await engine.db.query.controlTable.findMany({ columns: { name: true } })
  if (!known.some((table) => table.name === name)) {
    const near = nearestName(
      name,
      known.map((table) => table.name),
    )
    fail('unknown-name', `there is no control table "${name}"${near ? `; did you mean ${near}?` : ''}`)
  }
  return await readControl(engine, name, environment)
}
