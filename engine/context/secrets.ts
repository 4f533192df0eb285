import { createCipheriv, createDecipheriv, randomBytes } from 'node:crypto'

/** Encrypts by AES-256-GCM (NIST SP 800-38D): 12 bytes nonce, 16 bytes tag, then the text. */
export function encrypt(key: Buffer, text: string): Buffer {
  const nonce = randomBytes(12)
  const cipher = createCipheriv('aes-256-gcm', key, nonce)
  const body = Buffer.concat([cipher.update(text, 'utf8'), cipher.final()])
  return Buffer.concat([nonce, cipher.getAuthTag(), body])
}

/** @throws where the key is another one, or the bytes were changed */
export function decrypt(key: Buffer, sealed: Buffer): string {
  const cipher = createDecipheriv('aes-256-gcm', key, sealed.subarray(0, 12))
  cipher.setAuthTag(sealed.subarray(12, 28))
  return Buffer.concat([cipher.update(sealed.subarray(28)), cipher.final()]).toString('utf8')
}
