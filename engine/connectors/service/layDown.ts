import { createWriteStream } from 'node:fs'
import { pipeline } from 'node:stream/promises'
import { servicePages, type Asking, type Service } from './service'

/** Writes a service's records as newline-delimited JSON; returns what was counted on the way. */
export async function layServiceDown(
  service: Service,
  path: string,
  file: string,
  asking: Asking = {},
): Promise<{ records: number; bytes: number; pages: number }> {
  let records = 0
  let bytes = 0
  let pages = 0
  async function* lines() {
    for await (const page of servicePages(service, path, asking)) {
      pages++
      bytes += page.bytes
      for (const record of page.records) {
        if (asking.limit !== undefined && records >= asking.limit) break
        records++
        yield `${JSON.stringify(record)}\n`
      }
    }
  }
  // a full disk, or a page that cannot be had, ends both
  await pipeline(lines, createWriteStream(file))
  return { records, bytes, pages }
}
