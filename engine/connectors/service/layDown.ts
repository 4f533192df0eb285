import { once } from 'node:events'
import { createWriteStream } from 'node:fs'
import { servicePages, type Asking, type Service } from './service'

/** Writes a service's records as newline-delimited JSON; returns what was counted on the way. */
export async function layServiceDown(
  service: Service,
  path: string,
  file: string,
  asking: Asking = {},
): Promise<{ records: number; bytes: number; pages: number }> {
  const out = createWriteStream(file)
  let records = 0
  let bytes = 0
  let pages = 0
  try {
    for await (const page of servicePages(service, path, asking)) {
      pages++
      bytes += page.bytes
      for (const record of page.records) {
        if (asking.limit !== undefined && records >= asking.limit) break
        records++
        if (!out.write(`${JSON.stringify(record)}\n`)) await once(out, 'drain')
      }
    }
  } finally {
    out.end()
    await once(out, 'close')
  }
  return { records, bytes, pages }
}
