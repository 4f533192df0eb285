import type { FormatDefinition } from './definition'

export const xlsx: FormatDefinition = {
  words: 'XLSX',
  names: /\.xlsx$/i,
  family: 'xlsx',
  typed: false,
  reads: ['decimal', 'sheet'],
  writes: { ending: 'xlsx', names: /\.xlsx$/i, packings: ['none'], folders: false },
}
