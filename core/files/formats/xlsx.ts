import { valueKeys, type FormatDefinition } from './definition'

export const xlsx: FormatDefinition = {
  words: 'XLSX',
  endings: { own: ['xlsx'] },
  family: 'xlsx',
  typed: false,
  reads: ['header', 'names', 'heads', 'under', 'skip', 'tail', ...valueKeys, 'sheet'],
  writes: { ending: 'xlsx', names: /\.xlsx$/i, packings: ['none'], folders: false },
}
