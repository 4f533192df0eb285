import { valueKeys, type FormatDefinition } from './definition'

export const json: FormatDefinition = {
  words: 'JSON',
  endings: { own: ['json', 'geojson'] },
  family: 'json',
  typed: false,
  reads: ['records', 'inner', ...valueKeys],
  writes: null,
}
