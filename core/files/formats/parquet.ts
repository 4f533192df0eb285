import type { FormatDefinition } from './definition'

export const parquet: FormatDefinition = {
  words: 'Parquet',
  endings: { own: ['parquet'] },
  family: 'parquet',
  typed: true,
  reads: [],
  writes: {
    ending: 'parquet',
    names: /\.parquet$/i,
    packings: ['none', 'gzip', 'zstd', 'snappy'],
    folders: true,
  },
}
