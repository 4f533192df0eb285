import { csv } from './csv'
import type { FormatDefinition } from './definition'
import { json } from './json'
import { ndjson } from './ndjson'
import { parquet } from './parquet'
import { xlsx } from './xlsx'

/** Every format of files. */
export const formats = { csv, json, ndjson, xlsx, parquet } satisfies Record<string, FormatDefinition>

export type FileKind = keyof typeof formats
export const fileKinds = Object.keys(formats) as [FileKind, ...FileKind[]]

/** The formats that files can be written in. */
export const writtenKinds = fileKinds.filter((kind) => formats[kind].writes !== null) as [
  FileKind,
  ...FileKind[],
]

/** The format of a file by its name; a name that tells nothing is one of CSV. */
export const kindByName = (path: string): FileKind =>
  fileKinds.find((kind) => formats[kind].names.test(path)) ?? 'csv'
