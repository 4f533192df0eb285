import type { Response } from 'express'

/** Says that a file comes, by its name and type. */
export function sendAs(response: Response, name: string, type: string): void {
  response.setHeader('Content-Type', type)
  response.setHeader('Content-Disposition', `attachment; filename="${name.replace(/[^\w.-]/g, '_')}"`)
  response.setHeader('Cache-Control', 'no-store')
}

/** Writes as fast as the other side reads. */
export async function writeAll(response: Response, text: string): Promise<void> {
  if (response.write(text)) return
  await new Promise<void>((resolve) => {
    const go = () => {
      response.off('drain', go)
      response.off('close', go)
      resolve()
    }
    response.once('drain', go)
    response.once('close', go)
  })
}
