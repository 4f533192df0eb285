import { createServer, type Server, type ServerResponse } from 'node:http'
import type { AddressInfo } from 'node:net'
import { afterEach, beforeEach, expect, it, vi } from 'vitest'
import { routes } from '../contract/routes'
import { openApi } from './api'

// A server that answers as it is told: one answer for each request, the last for all that follow.
type Answer = (response: ServerResponse) => void
const json =
  (status: number, body: unknown): Answer =>
  (response) =>
    response.writeHead(status, { 'content-type': 'application/json' }).end(JSON.stringify(body))
const good = json(200, { run: 7 })
const away = json(503, { error: { code: 'away', message: 'the database is away', where: {} } })
const lost: Answer = (response) => void response.socket!.destroy()
const brokenOff: Answer = (response) => {
  response.writeHead(200, { 'content-length': '100' }).write('{"run"')
  setTimeout(() => response.socket!.destroy(), 20)
}
const ofAProxy: Answer = (response) => void response.writeHead(502).end('<html>bad gateway</html>')

let server: Server
let answers: Answer[] = []
let asked: { path: string; body: string }[] = []
beforeEach(async () => {
  asked = []
  server = createServer((request, response) => {
    let body = ''
    request.on('data', (chunk: Buffer) => (body += chunk.toString()))
    request.on('end', () => {
      asked.push({ path: request.url!, body })
      const [first] = answers
      if (answers.length > 1) answers.shift()
      first!(response)
    })
  })
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
  vi.stubEnv('MATTOCK_URL', `http://127.0.0.1:${(server.address() as AddressInfo).port}`)
  vi.spyOn(process.stderr, 'write').mockReturnValue(true)
})
afterEach(() => {
  vi.unstubAllEnvs()
  vi.restoreAllMocks()
  server.closeAllConnections()
  server.close()
})

/** One that met the server once, so that it is known to be there. */
async function met(patience: number) {
  const api = openApi('/nowhere', patience)
  answers = [good]
  await api.call(routes.run, { params: { id: 1 } })
  asked = []
  return api
}
const start = { body: { plan: 3, press: '6e0ad1a4-9c8f-4c35-a6a4-2a4cfbb8e5a1' } }

it.each([
  ['an answer that is lost', lost],
  ['one that breaks off', brokenOff],
  ['a database that is away', away],
  ['a proxy before a server that is away', ofAProxy],
])('%s is asked for again, with the same press', async (_what, fault) => {
  const api = await met(10)
  answers = [fault, good]
  await expect(api.call(routes.startRun, start)).resolves.toEqual({ run: 7 })
  expect(asked.map(({ body }) => JSON.parse(body) as unknown)).toEqual([start.body, start.body])
})

it('its patience ends', async () => {
  const api = await met(0.5)
  answers = [away]
  await expect(api.call(routes.run, { params: { id: 1 } })).rejects.toThrow('the database is away')
  expect(asked.length).toBeGreaterThan(1)
})

it('what is no passing fault is told at once', async () => {
  const api = await met(10)
  answers = [json(409, { error: { code: 'conflict', message: 'somebody else changed it', where: {} } }), good]
  await expect(api.call(routes.run, { params: { id: 1 } })).rejects.toThrow('somebody else changed it')
  expect(asked).toHaveLength(1)
})

it('what might be done twice is asked for once', async () => {
  const api = await met(10)
  answers = [lost, good]
  await expect(
    api.call(routes.saveJob, { body: { document: 'mattock: job/1', message: 'one' } as never }),
  ).rejects.toThrow('does not answer')
  expect(asked).toHaveLength(1)
})

it('what looks at what is there first is done again as a whole', async () => {
  const api = await met(10)
  const work = async () => {
    await api.call(routes.run, { params: { id: 1 } })
    return await api.call(routes.saveJob, { params: { name: 'one' }, body: { text: 'mattock: job/1' } })
  }
  answers = [good, lost, good, away, good]
  await expect(api.patiently(work)).resolves.toEqual({ run: 7 })
  expect(asked.map(({ path }) => path)).toEqual(['/api/runs/1', '/api/jobs/one', '/api/runs/1', '/api/jobs/one', '/api/runs/1', '/api/jobs/one']) // prettier-ignore
  asked = []
  answers = [json(409, { error: { code: 'conflict', message: 'somebody else changed it', where: {} } }), good]
  await expect(api.patiently(work)).rejects.toThrow('somebody else changed it')
  expect(asked).toHaveLength(1)
})

it('a server that was never there is not waited for', async () => {
  answers = [lost, good]
  const api = openApi('/nowhere', 10)
  await expect(api.call(routes.run, { params: { id: 1 } })).rejects.toThrow('does not answer')
})
