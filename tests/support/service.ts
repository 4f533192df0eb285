import { createServer, type IncomingMessage, type ServerResponse } from 'node:http'
import type { AddressInfo } from 'node:net'

export interface TestService {
  readonly base: string
  /** Addresses asked for, in order. */
  readonly asked: string[]
  close(): Promise<void>
}

/** A small HTTP service on a free port of the loopback; `answer` returns what is sent as JSON, or answers itself. */
export async function testService(
  answer: (url: URL, request: IncomingMessage, response: ServerResponse) => unknown,
): Promise<TestService> {
  const asked: string[] = []
  const server = createServer((request, response) => {
    const url = new URL(request.url!, 'http://127.0.0.1')
    asked.push(`${url.pathname}${url.search}`)
    const body = answer(url, request, response)
    if (body === undefined || response.writableEnded) return
    response.setHeader('content-type', 'application/json')
    response.end(typeof body === 'string' ? body : JSON.stringify(body))
  })
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
  const { port } = server.address() as AddressInfo
  return {
    base: `http://127.0.0.1:${port}`,
    asked,
    close: () =>
      new Promise((resolve) => {
        server.closeAllConnections()
        server.close(() => resolve())
      }),
  }
}
