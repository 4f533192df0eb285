import { createHash } from 'node:crypto'
import { createSigner, httpbis } from 'http-message-signatures'

/**
 * Headers that sign a POST: the digest of its body (RFC 9530), and a signature over its method, address, type and digest
 * (RFC 9421, HMAC with SHA-256) with the time it was made, so that an old one is known.
 */
export async function signedHeaders(
  key: string,
  address: string,
  contentType: string,
  body: string,
): Promise<Record<string, string>> {
  const digest = `sha-256=:${createHash('sha256').update(body).digest('base64')}:`
  const { headers } = await httpbis.signMessage(
    {
      key: createSigner(Buffer.from(key, 'utf8'), 'hmac-sha256', 'mattock'),
      name: 'mattock',
      fields: ['@method', '@target-uri', 'content-type', 'content-digest'],
      params: ['created', 'keyid', 'alg'],
    },
    { method: 'POST', url: address, headers: { 'content-type': contentType, 'content-digest': digest } },
  )
  return Object.fromEntries(
    Object.entries(headers).map(([name, value]) => [name.toLowerCase(), String(value)]),
  )
}
