import { quoteName } from '../../core/text/slot'
import { literal } from '../duck/duck'
import type { FileWriter, WritingPlace } from './definition'

/** A writer for a format that DuckDB's COPY writes. */
export const duckWriter = ({
  options,
  extension,
  packs,
  count,
  readBack,
}: {
  readonly options: (place: WritingPlace) => string[]
  readonly extension: string
  /** It packs within the file, so that its ending stays. */
  readonly packs: boolean
  readonly count?: FileWriter['count']
  readonly readBack: (glob: string) => string
}): FileWriter => ({
  async write(duck, select, place) {
    const { file, compress, split } = place
    const parted = split?.by
      ? [`partition_by (${split.by.map(quoteName).join(', ')})`, "filename_pattern 'part-{i}'"]
      : split?.bytes
        ? [`file_size_bytes ${split.bytes}`, "filename_pattern 'part-{i}'"]
        : []
    const all = [
      ...options(place),
      ...(compress ? [`compression ${literal(compress === 'none' ? 'uncompressed' : compress)}`] : []),
      ...parted,
      ...(split
        ? [`file_extension ${literal(extension + (!packs && compress === 'gzip' ? '.gz' : ''))}`]
        : ['use_tmp_file false']),
    ]
    const reader = await duck.runAndReadAll(`copy (${select}) to ${literal(file)} (${all.join(', ')})`)
    return Number(reader.getRows()[0]![0])
  },
  ...(count ? { count } : {}),
  readBack,
})
