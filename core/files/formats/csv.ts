import { valueKeys, type FormatDefinition } from './definition'

export const csv: FormatDefinition = {
  words: 'CSV',
  names: /\.(csv|tsv|tab|psv|txt|dat)(\.gz)?$/i,
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
