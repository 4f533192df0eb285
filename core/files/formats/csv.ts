import type { FormatDefinition } from './definition'

export const csv: FormatDefinition = {
  words: 'CSV',
  names: /\.(csv|tsv|tab|psv|txt|dat)(\.gz)?$/i,
  family: 'csv',
  typed: false,
  reads: ['delimiter', 'quote', 'header', 'names', 'skip', 'comment', 'decimal', 'encoding'],
  writes: { ending: 'csv', names: /\.(csv|tsv)$/i, packings: ['none', 'gzip', 'zstd'], folders: true },
}
