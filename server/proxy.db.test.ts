import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { passwordOf, testServer, type TestServer } from '../tests/support/server'

// Behind a proxy that ends TLS: what it says of the request (X-Forwarded-For, X-Forwarded-Proto; common practice, no source) is
// taken where the proxy is known, and from nobody else.

let behind: TestServer
let bare: TestServer
beforeAll(async () => {
  behind = await testServer({ proxies: ['127.0.0.0/8'], hosts: ['mattock.example'] })
  bare = await testServer()
})
afterAll(async () => {
  await behind.close()
  await bare.close()
})

const signIn = async (server: TestServer, from: string, password = passwordOf('reader')) =>
  await fetch(`${server.address}/api/session`, {
    method: 'POST',
    headers: {
      'content-type': 'application/json',
      'x-mattock': '1',
      'x-forwarded-for': from,
      'x-forwarded-proto': 'https',
    },
    body: JSON.stringify({ email: 'reader@test.example', password }),
  })

describe('behind a proxy that is known', () => {
  it('a session is for TLS only', async () => {
    expect((await signIn(behind, '192.0.2.7')).headers.get('set-cookie')).toMatch(/; Secure/)
  })
  it('tries of one address do not keep out another (RFC 5737: 192.0.2.0/24 is for examples)', async () => {
    for (let i = 0; i < 10; i++) await signIn(behind, '192.0.2.66', 'wrong')
    expect((await signIn(behind, '192.0.2.66', 'wrong')).status).toBe(429)
    expect((await signIn(behind, '192.0.2.8')).status).toBe(200)
  })
})

describe('where no proxy is known', () => {
  it('nobody gets round the limit of tries by saying to be another, nor is a session for TLS that has none', async () => {
    for (let i = 0; i < 10; i++) await signIn(bare, `192.0.2.${i}`, 'wrong')
    expect((await signIn(bare, '192.0.2.99', 'wrong')).status).toBe(429)
  })
  it('a session stands as the line itself is', async () => {
    const fresh = await testServer()
    expect((await signIn(fresh, '192.0.2.7')).headers.get('set-cookie')).not.toMatch(/Secure/)
    await fresh.close()
  })
})
