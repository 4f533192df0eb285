import { valueKeys, type FormatDefinition } from './definition'

export const ndjson: FormatDefinition = {
  words: 'newline-delimited JSON',
  endings: { own: ['ndjson', 'jsonl'] },
  family: 'json',
  typed: false,
  reads: ['inner', ...valueKeys],
  writes: {
    ending: 'ndjson',
    names: /\.(ndjson|jsonl)$/i,
    packings: ['none', 'gzip', 'zstd'],
    folders: true,
  },
}
