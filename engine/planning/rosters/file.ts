import { textTable } from '../../../core/files/textTable'
import { fromSchema } from '../../../core/job/sources'
import { quoteName } from '../../../core/text/slot'
import { lookContext } from '../../context/step'
import { withSource } from '../../reading/open'
import { mostRead, type ReadRoster } from './definition'

/** The rows of a file of any format that transfers read, typed by their values. */
export const file: ReadRoster<'file'> = async (
  { store, pattern, reading },
  { engine, environment, zone },
) => {
  const from = fromSchema.parse({ ...reading, store, files: pattern })
  const text = (key: string) =>
    key === 'store'
      ? ({ kind: 'text', text: store } as const)
      : ({ kind: 'path', text: pattern, pattern } as const)
  return await withSource(
    lookContext(engine, environment, zone),
    { from, text },
    true,
    async (duck, source) => {
      if (source.empty) return { columns: [], key: [], rows: [] }
      const list = source.columns.map(({ name }) => `cast(${quoteName(name)} as varchar)`).join(', ')
      const reader = await duck.runAndReadAll(`select ${list} from ${source.sql()} limit ${mostRead}`)
      // the counting beside the reading is of no use here, and its failing is told by the reading
      await source.counted.catch(() => {})
      return textTable(
        source.columns.map(({ name }) => name),
        reader.getRows() as (string | null)[][],
      )
    },
  )
}
