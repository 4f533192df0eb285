import type { Response } from 'express'

/** Says that a file comes, by its name and type. */
export function sendAs(response: Response, name: string, type: string): void {
  response.setHeader('Content-Type', type)
  response.setHeader('Content-Disposition', `attachment; filename="${name.replace(/[^\w.-]/g, '_')}"`)
  response.setHeader('Cache-Control', 'no-store')
}

/** Milliseconds in which the other side must have read something of what was sent. */
export const slowest = 30_000

/** Writes as fast as the other side reads; one that reads nothing for long is not written to any more. */
export async function writeAll(response: Response, text: string, within = slowest): Promise<void> {
  if (response.destroyed || response.write(text)) return
  await new Promise<void>((resolve) => {
    const limit = setTimeout(() => response.destroy(), within)
    const go = () => {
      clearTimeout(limit)
      response.off('drain', go)
      response.off('close', go)
      resolve()
    }
    response.once('drain', go)
    response.once('close', go)
  })
}
