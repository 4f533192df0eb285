import { valueKeys, type FormatDefinition } from './definition'

export const csv: FormatDefinition = {
  words: 'CSV',
  endings: { own: ['csv', 'tsv', 'tab', 'psv'], shared: ['txt', 'dat'] },
  family: 'csv',
  typed: false,
  reads: [
    'delimiter',
    'widths',
    'quote',
    'escape',
    'ends',
    'header',
    'names',
    'heads',
    'under',
    'skip',
    'tail',
    'comment',
    ...valueKeys,
    'encoding',
  ],
  writes: { ending: 'csv', names: /\.(csv|tsv)$/i, packings: ['none', 'gzip', 'zstd'], folders: true },
}
