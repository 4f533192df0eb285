import type { Format } from '../definition'
import { duckWriter } from '../duckWriter'
import { jsonFormat } from './document'

export const json = jsonFormat('json', { byLine: false })
export const ndjson: Format = {
  ...jsonFormat('ndjson', { byLine: true }),
  counts: 'lines',
  writer: duckWriter({
    options: () => ['format json'],
    extension: 'ndjson',
    packs: false,
    readBack: (glob) => `read_json(${glob}, format = 'newline_delimited')`,
  }),
}
