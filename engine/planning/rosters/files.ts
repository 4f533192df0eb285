import { fileColumns, filePattern, fileRow } from '../../../core/roster/filePattern'
import type { ReadRoster } from './definition'

/** Files of a store, a row each. */
export const files: ReadRoster<'files'> = async (source, { zone, listerOf }) => {
  const lister = await listerOf(source.store)
  const pattern = filePattern(source.pieces, { subfolders: source.subfolders, zone })
  const found = source.subfolders ? await lister.findDeep(pattern.glob) : await lister.find(pattern.glob)
  return {
    columns: [...pattern.columns, ...fileColumns],
    key: ['path'],
    rows: found.flatMap((file) => {
      const parts = pattern.match(file.path)
      return parts ? [fileRow(file, parts)] : []
    }),
  }
}
