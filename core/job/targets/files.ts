import { z } from 'zod'
import { formats, writtenKinds, type FileKind } from '../../files/formats'
import { columnNames, field, template } from '../../field/field'
import { defineTarget } from './definition'

const split = z
  .strictObject({
    by: columnNames.optional().describe('name=value folders, one level for each column'),
    bytes: z.int().min(1_000_000).optional().describe('several files of about so many bytes'),
  })
  .refine(({ by, bytes }) => (by === undefined) !== (bytes === undefined), {
    message: 'split by columns, or by bytes',
  })

export const files = defineTarget({
  words: 'a file',
  place: 'store',
  what: 'file',
  shape: {
    store: template({ as: 'text', names: 'files', column: 'into' })
      .optional()
      .describe('a connection of kind file store'),
    file: template({ as: 'path', column: 'target' })
      .optional()
      .describe('path of the file, which is replaced whole; of a folder where split is given'),
    format: field(z.enum(writtenKinds), {
      rare: true,
      usual: 'by the ending',
      words: Object.fromEntries(writtenKinds.map((kind) => [kind, formats[kind].words])),
    })
      .optional()
      .describe('by the ending where it is left out'),
    delimiter: field(z.string().length(1), { rare: true, usual: ',' })
      .default(',')
      .describe('CSV: the letter between two fields'),
    compress: field(z.enum(['none', 'gzip', 'zstd', 'snappy']), {
      rare: true,
      label: 'pack',
      usual: 'as usual for the format',
      words: { none: 'not at all' },
    })
      .optional()
      .describe('how the file is packed; as usual for its format and ending where it is left out'),
    split: field(split, { rare: true }).optional().describe('several files in place of one'),
  },
  judge: ({ split: parted, format }) =>
    (parted as z.output<typeof split> | undefined)?.by !== undefined &&
    format !== undefined &&
    !formats[format as FileKind].writes?.folders
      ? [{ message: `${formats[format as FileKind].words} is not split into folders`, key: 'split' }]
      : [],
  fresh: ({ store }) => ({ store, file: 'out.csv' }),
})
