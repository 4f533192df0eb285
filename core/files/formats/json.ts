import { valueKeys, type FormatDefinition } from './definition'

export const json: FormatDefinition = {
  words: 'JSON',
  names: /\.(json|geojson)(\.gz)?$/i,
  family: 'json',
  typed: false,
  reads: ['records', 'inner', ...valueKeys],
  writes: null,
}
