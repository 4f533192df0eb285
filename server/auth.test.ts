import type { Request } from 'express'
import { describe, expect, it } from 'vitest'
import { fromOurPages, hashPassword, sha256 } from './auth'
import { sendAs, writeAll } from './csv'

const request = (headers: Record<string, string>): Request => ({ headers }) as unknown as Request

describe('a request that changes something', () => {
  it.each([
    [{ 'x-mattock': '1', origin: 'http://here:4600', host: 'here:4600' }, true],
    [{ 'x-mattock': '1', host: 'here:4600' }, true],
    [{ authorization: 'Bearer x', origin: 'http://elsewhere', host: 'here:4600' }, true],
    [{ origin: 'http://here:4600', host: 'here:4600' }, false],
    [{ 'x-mattock': '1', origin: 'http://elsewhere', host: 'here:4600' }, false],
    [{ 'x-mattock': '1', origin: 'http://here:4601', host: 'here:4600' }, false],
    [{ 'x-mattock': '1', origin: 'null', host: 'here:4600' }, false],
    [{ 'x-mattock': '2', host: 'here:4600' }, false],
    [{}, false],
  ])('with %j comes from our pages: %s', (headers, ours) =>
    expect(fromOurPages(request(headers as never))).toBe(ours),
  )
})

describe('a password', () => {
  it('is kept as scrypt (RFC 7914) with a salt of its own', async () => {
    const [one, two] = await Promise.all([hashPassword('the same'), hashPassword('the same')])
    expect(one).not.toBe(two)
    const [name, salt, hash] = one.split('$')
    expect(name).toBe('scrypt')
    expect(Buffer.from(salt!, 'base64')).toHaveLength(16)
    expect(Buffer.from(hash!, 'base64')).toHaveLength(32)
    expect(one).not.toContain('the same')
  })
})

describe('a hash', () => {
  // FIPS 180-4, example of SHA-256 for "abc"
  it('is SHA-256', () =>
    expect(sha256('abc')).toBe('ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad'))
})

describe('a file that is sent', () => {
  const response = () => {
    const headers: Record<string, string> = {}
    return { headers, setHeader: (name: string, value: string) => void (headers[name] = value) }
  }

  it('has a name that no browser takes for anything else', () => {
    const sent = response()
    sendAs(sent as never, 'a "b";\r\nX: y/../z.csv', 'text/csv')
    expect(sent.headers['Content-Disposition']).toBe('attachment; filename="a__b____X__y_.._z.csv"')
    expect(sent.headers['Cache-Control']).toBe('no-store')
  })

  it('is written as fast as the other side reads, and no longer than it is there', async () => {
    const heard = new Map<string, () => void>()
    const slow = {
      write: () => false,
      once: (name: string, go: () => void) => heard.set(name, go),
      off: () => {},
    }
    let written = false
    const writing = writeAll(slow as never, 'x').then(() => (written = true))
    await Promise.resolve()
    expect(written).toBe(false)
    heard.get('close')!()
    await writing
    await writeAll({ write: () => true } as never, 'x')
  })

  it('is not written to one who reads nothing', async () => {
    const heard = new Map<string, () => void>()
    const gone = { write: () => false, once: (name: string, go: () => void) => heard.set(name, go), off: () => {}, destroy: () => heard.get('close')!() } // prettier-ignore
    await writeAll(gone as never, 'x', 20)
    await writeAll({ destroyed: true } as never, 'x')
  })
})
