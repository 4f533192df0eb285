import { crc32, deflateRawSync, gzipSync } from 'node:zlib'
import { DuckDBInstance } from '@duckdb/node-api'
import writeXlsxFile, { type SheetData } from 'write-excel-file/node'

/** Writes an XLSX file with another library than the one that reads ours. */
export async function xlsx(sheets: Record<string, SheetData>): Promise<Buffer> {
  const names = Object.keys(sheets)
  return await writeXlsxFile(
    names.map((sheet) => ({ data: sheets[sheet]!, sheet, dateFormat: 'yyyy-mm-dd' })),
  ).toBuffer()
}

/** Writes a Parquet file by DuckDB from a SELECT. */
export async function parquet(path: string, select: string): Promise<void> {
  const duck = await (await DuckDBInstance.create(':memory:')).connect()
  await duck.run(`copy (${select}) to '${path}' (format parquet)`)
  duck.closeSync()
}

export const packed = (text: string): Buffer => gzipSync(Buffer.from(text))

/** A zip archive (APPNOTE 4.3), its entries deflated; `stated` puts another size into its headers than is true. */
export function zipped(entries: Record<string, Buffer>, stated?: number): Buffer {
  const files: Buffer[] = []
  const directory: Buffer[] = []
  let at = 0
  for (const [name, data] of Object.entries(entries)) {
    const packed = deflateRawSync(data, { level: 9 })
    const common = Buffer.alloc(26)
    common.writeUInt16LE(20, 0)
    common.writeUInt16LE(8, 4)
    common.writeUInt32LE(crc32(data), 10)
    common.writeUInt32LE(packed.length, 14)
    common.writeUInt32LE(stated ?? data.length, 18)
    common.writeUInt16LE(name.length, 22)
    const local = Buffer.concat([Buffer.from('504b0304', 'hex'), common, Buffer.from(name), packed])
    const rest = Buffer.alloc(14)
    rest.writeUInt32LE(at, 10)
    directory.push(Buffer.concat([Buffer.from('504b01021400', 'hex'), common, rest, Buffer.from(name)]))
    files.push(local)
    at += local.length
  }
  const index = Buffer.concat(directory)
  const end = Buffer.alloc(18)
  end.writeUInt16LE(directory.length, 4)
  end.writeUInt16LE(directory.length, 6)
  end.writeUInt32LE(index.length, 8)
  end.writeUInt32LE(at, 12)
  return Buffer.concat([...files, index, Buffer.from('504b0506', 'hex'), end])
}
