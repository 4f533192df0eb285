import { didYouMean } from '../../../core/expression/nearest'
import { fail } from '../../../core/fault'
import { readControl } from '../../control/rows'
import type { ReadRoster } from './definition'

export const control: ReadRoster<'control'> = async ({ name }, { engine, environment }) => {
  const known = await engine.db.query.controlTable.findMany({ columns: { name: true } })
  if (!known.some((table) => table.name === name)) {
    const names = known.map((table) => table.name)
    fail('unknown-name', `there is no control table "${name}"${didYouMean(name, names)}`)
  }
  return await readControl(engine, name, environment)
}
