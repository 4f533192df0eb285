import type { FileKind } from '../../core/files/formats'
import { csv } from './csv'
import type { Format } from './definition'
import { json, ndjson } from './json'
import { parquet } from './parquet'
import { xlsx } from './xlsx'

/** Every format of files: how it is read, surveyed, counted and written. */
export const formats: Readonly<Record<FileKind, Format>> = { csv, json, ndjson, xlsx, parquet }
