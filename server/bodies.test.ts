import { describe, expect, it } from 'vitest'
import { createServer } from 'node:http'
import { connect, type AddressInfo } from 'node:net'
import express from 'express'
import { route } from '../contract/route'
import { depthOf, parseSigned, readBody } from './bodies'

describe('the depth of a body', () => {
  const depth = (text: string) => depthOf(Buffer.from(text))
  it.each([
    ['1', 0],
    ['{}', 1],
    ['{"a": [1, {"b": []}]}', 4],
    ['[[1], [2]]', 2],
    // brackets within texts are letters
    [String.raw`{"a": "[[[[\"[[[[", "b\\": [1]}`, 2],
    ['['.repeat(500), 500],
    ['"'.repeat(3) + '[', 0],
  ])('%s: %i', (text, deep) => expect(depth(text)).toBe(deep))
})

/** A server that reads a body and says how deep it is. */
async function reading(given: Partial<Parameters<typeof route>[0]> = {}) {
  const app = express()
  const refuse = (response: express.Response, fault: { code: string }) =>
    void response.status(408).json(fault)
  app.post('/', readBody({} as never, route({ method: 'post', path: '/', summary: '', ...given }), refuse, 300), (request, response) => void response.json({ read: request.body as unknown })) // prettier-ignore
  app.use((error: { status?: number; message: string }, _: unknown, response: express.Response, next: () => void) => (response.headersSent ? next() : void response.status(error.status ?? 500).json({ said: error.message }))) // prettier-ignore
  const server = createServer(app)
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
  return { server, port: (server.address() as AddressInfo).port }
}

describe('a body', () => {
  it('is UTF-8: in other letters its depth could not be counted', async () => {
    const { server, port } = await reading()
    const deep = `${'['.repeat(2000)}${']'.repeat(2000)}`
    const post = async (body: Buffer, charset: string) =>
      await fetch(`http://127.0.0.1:${port}/`, { method: 'POST', body: new Uint8Array(body), headers: { 'content-type': `application/json; charset=${charset}` } }) // prettier-ignore
    for (const [letters, charset] of [['utf16le', 'utf-16'], ['utf16le', 'utf-16le'], ['utf8', 'utf-8'], ['utf8', 'UTF8'], ['latin1', 'iso-8859-1'], ['utf16le', 'utf-32']] as const) {
      const answer = await post(Buffer.from(deep, letters), charset)
      expect([charset, answer.status >= 400 && answer.status < 500]).toEqual([charset, true])
    } // prettier-ignore
    expect(await (await post(Buffer.from('{"a": [1]}'), 'utf-8')).json()).toEqual({ read: { a: [1] } })
    server.close()
  })

  it('of which nothing more arrives is not waited for; one that comes slowly is read', async () => {
    const { server, port } = await reading()
    const talk = (pieces: readonly string[], pause: number) =>
      new Promise<string>((resolve) => {
        const socket = connect(port, '127.0.0.1')
        let said = ''
        socket.on('data', (piece) => (said += piece.toString()))
        socket.on('error', () => {})
        socket.on('close', () => resolve(said))
        socket.write('POST / HTTP/1.1\r\nHost: x\r\nConnection: close\r\nContent-Type: application/json\r\nContent-Length: 12\r\n\r\n') // prettier-ignore
        pieces.forEach((piece, i) => setTimeout(() => socket.write(piece), i * pause))
      })
    expect(await talk(['{"a":'], 0)).toMatch(/^HTTP\/1.1 408[\s\S]*"silent"/)
    expect(await talk(['{"a"', ':"12', '34"}'], 200)).toMatch(/^HTTP\/1.1 200[\s\S]*"1234"/)
    server.close()
  })

  it('that is signed is handed on as it came, and read after its signature', async () => {
    const { server, port } = await reading({ signed: true })
    const answer = await fetch(`http://127.0.0.1:${port}/`, { method: 'POST', body: '{"broken', headers: { 'content-type': 'application/json' } }) // prettier-ignore
    expect(answer.status).toBe(200)
    server.close()
    expect(parseSigned(Buffer.from('{"id": "x"}'))).toEqual({ id: 'x' })
    expect(parseSigned(Buffer.alloc(0))).toEqual({})
    expect(() => parseSigned(Buffer.from('{"broken'))).toThrow(/the body is no JSON/)
    expect(() => parseSigned(Buffer.from([0xff, 0x22]))).toThrow(/UTF-8/)
    expect(() => parseSigned(Buffer.from('['.repeat(100)))).toThrow(/more than 64 deep/)
  })
})
