import { csv } from './csv'
import { json } from './json'
import { ndjson } from './ndjson'
import { parquet } from './parquet'
import { xlsx } from './xlsx'
import type { FormatDefinition } from './definition'

/** Every format of files. */
export const formats = { csv, json, ndjson, xlsx, parquet } satisfies Record<string, FormatDefinition>
