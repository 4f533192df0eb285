import { lookup } from 'node:dns/promises'
import { isIP } from 'node:net'
import { createTransport, type Transporter } from 'nodemailer'
import type SMTPTransport from 'nodemailer/lib/smtp-transport'
import type { Network } from '../context/network'

/** A mail server as a connection knows it. */
export interface MailServer {
  readonly host: string
  readonly port: number
  readonly security: 'starttls' | 'tls' | 'none'
  readonly user: string
  readonly from: string
  readonly password: string | undefined
}

/** Milliseconds that a server may take to answer. */
const patience = 20_000

/**
 * A way to send mails. The name is looked up here, so that the address asked is one that may be asked.
 * @throws Error where it may not
 */
export async function openSmtp(
  { host, port, security, user, password }: MailServer,
  network: Network,
): Promise<Transporter<SMTPTransport.SentMessageInfo>> {
  const { address } = isIP(host) ? { address: host } : await lookup(host)
  const refusal = network.refusal(address)
  if (refusal !== undefined) throw new Error(`${host}: ${refusal}`)
  return createTransport({
    host: address,
    port,
    secure: security === 'tls',
    requireTLS: security === 'starttls',
    ignoreTLS: security === 'none',
    tls: { servername: host },
    ...(user === '' ? {} : { auth: { user, pass: password ?? '' } }),
    connectionTimeout: patience,
    greetingTimeout: patience,
    socketTimeout: patience,
    // texts come from jobs and rows: none of them names a file or an address to be read
    disableFileAccess: true,
    disableUrlAccess: true,
  })
}
