import { createHash, createHmac } from 'node:crypto'
import { describe, expect, it } from 'vitest'
import { signedHeaders } from './signature'

describe('a signature', () => {
  it('covers method, address, type and content, as RFC 9421 puts them together', async () => {
    const body = '{"specversion":"1.0"}'
    const address = 'https://example.org/events?a=1'
    const headers = await signedHeaders(
      'k "e" y ü',
      address,
      'application/cloudevents+json; charset=utf-8',
      body,
    )
    // RFC 9530, 2: the digest of the content
    expect(headers['content-digest']).toBe(`sha-256=:${createHash('sha256').update(body).digest('base64')}:`)
    const input = headers['signature-input']!.replace(/^mattock=/, '')
    expect(input).toMatch(
      /^\("@method" "@target-uri" "content-type" "content-digest"\);created=\d+;keyid="mattock";alg="hmac-sha256"$/,
    )
    // RFC 9421, 2.5
    const base = `"@method": POST\n"@target-uri": ${address}\n"content-type": application/cloudevents+json; charset=utf-8\n"content-digest": ${headers['content-digest']}\n"@signature-params": ${input}`
    // 3.3.3: the shared key as it is given
    const signature = createHmac('sha256', Buffer.from('k "e" y ü', 'utf8')).update(base).digest('base64')
    expect(headers.signature).toBe(`mattock=:${signature}:`)
  })
})
