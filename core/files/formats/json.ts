import type { FormatDefinition } from './definition'

export const json: FormatDefinition = {
  words: 'JSON',
  names: /\.(json|geojson)(\.gz)?$/i,
  reads: ['records', 'inner'],
  writes: null,
}
