import type { FileFormat } from '../../../core/catalog/found'
import { literal, literalList } from '../../duck/duck'
import type { Format } from '../definition'
import { duckWriter } from '../duckWriter'
import { withFolders } from '../relation'
import { openTyped } from '../typed'

const format: FileFormat = { kind: 'parquet' }
/** PAR1, which it begins and ends with. */
const magic = '50415231'

export const parquet: Format = {
  mark: {
    bytes: magic,
    fault: async ({ end }) =>
      (await end(4)).toString('hex') === magic
        ? undefined
        : 'a Parquet file whose end is missing: it was broken off',
  },
  head: () => ({ format, names: [] }),
  async open(duck, files, _reading, folder) {
    const rows = new Map<string, number>()
    for (const { full } of files) {
      const reader = await duck.runAndReadAll(`select num_rows from parquet_file_metadata(${literal(full)})`)
      rows.set(full, Number(reader.getRows()[0]![0] ?? 0))
    }
    return openTyped(await parquet.relation(duck, files, format, [], folder), rows)
  },
  async relation(duck, files) {
    const sql = `read_parquet(${literalList(files.map(({ full }) => full))}, union_by_name = true, filename = 'mattock_file', hive_partitioning = false)`
    const reader = await duck.runAndReadAll(`describe select * exclude (mattock_file) from ${sql}`)
    const columns = (reader.getRows() as [string, string][]).map(([name, type]) => ({ name, type }))
    return withFolders(files, { sql, columns })
  },
  async tables(duck, { full, path }, _known, folder) {
    const reader = await duck.runAndReadAll(`select num_rows from parquet_file_metadata(${literal(full)})`)
    // by its own name: the values of its folders are those of the whole dataset
    const plain = { full, path: path.split('/').at(-1)! }
    const relation = await parquet.relation(duck, [plain], format, [], folder)
    return [{ relation, format, unnamed: false, rows: Number(reader.getRows()[0]![0]) }]
  },
  look: async (_duck, { full }) => ({
    sql: `read_parquet(${literal(full)}, filename = 'mattock_file', hive_partitioning = false)`,
    note: 'Parquet',
  }),
  writer: duckWriter({
    options: () => ['format parquet'],
    extension: 'parquet',
    packs: true,
    async count(duck, place, folder) {
      const glob = folder ? `${place}/**/*.parquet` : place
      const reader = await duck.runAndReadAll(
        `select sum(num_rows) from parquet_file_metadata(${literal(glob)})`,
      )
      return Number(reader.getRows()[0]![0])
    },
    readBack: (glob) => `read_parquet(${glob})`,
  }),
}
