import { createServer, type IncomingMessage } from 'node:http'
import type { AddressInfo } from 'node:net'
import { simpleParser } from 'mailparser'
import { SMTPServer } from 'smtp-server'

/** Something that somebody was told. */
export interface Came {
  readonly at: string
  readonly how: 'mail' | 'event'
  readonly to: string
  readonly subject: string
  readonly text: string
}

/** Stand-ins for whoever is told: a mail server and an address for events on the loopback; a page shows what came. */
export interface Postbox {
  readonly smtpPort: number
  /** Where events are sent to; the page is at its root. */
  readonly events: string
  readonly came: readonly Came[]
  close(): void
}

/** The newest that are kept. */
const kept = 200
/** Bytes of an event. */
const mostBytes = 256 * 1024

export async function startPostbox(): Promise<Postbox> {
  const came: Came[] = []
  const keep = (one: Omit<Came, 'at'>) => {
    came.unshift({ at: new Date().toISOString(), ...one })
    came.splice(kept)
  }
  const smtp = new SMTPServer({
    authOptional: true,
    disabledCommands: ['STARTTLS'],
    size: 1 << 20,
    onData: (stream, session, done) => {
      simpleParser(stream).then(({ subject, text }) => {
        const to = session.envelope.rcptTo.map(({ address }) => address).join(', ')
        keep({ how: 'mail', to, subject: subject ?? '', text: text ?? '' })
        done()
      }, done)
    },
  })
  smtp.on('error', () => {})
  await new Promise<void>((resolve) => smtp.listen(0, '127.0.0.1', resolve))
  const http = createServer((request, response) => {
    if (request.method === 'POST' && request.url === '/events')
      return void bodyOf(request).then(
        (body) => {
          const event = JSON.parse(body) as { type?: string; subject?: string; data?: { text?: string } }
          keep({ how: 'event', to: '/events', subject: `${event.type} ${event.subject}`, text: event.data?.text ?? '' }) // prettier-ignore
          response.writeHead(202).end()
        },
        () => response.writeHead(400).end(),
      )
    if (request.method !== 'GET' || request.url !== '/') return void response.writeHead(404).end()
    response.writeHead(200, { 'content-type': 'text/html; charset=utf-8', 'content-security-policy': "default-src 'none'; style-src 'unsafe-inline'" }) // prettier-ignore
    response.end(page(came))
  })
  await new Promise<void>((resolve) => http.listen(0, '127.0.0.1', resolve))
  return {
    smtpPort: (smtp.server.address() as AddressInfo).port,
    events: `http://127.0.0.1:${(http.address() as AddressInfo).port}/events`,
    came,
    close: () => {
      smtp.close()
      http.closeAllConnections()
      http.close()
    },
  }
}

async function bodyOf(request: IncomingMessage): Promise<string> {
  const chunks: Buffer[] = []
  let size = 0
  for await (const chunk of request) {
    size += (chunk as Buffer).length
    if (size > mostBytes) throw new Error('too long')
    chunks.push(chunk as Buffer)
  }
  return Buffer.concat(chunks).toString('utf8')
}

const letters: Readonly<Record<string, string>> = { '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;' }
const safe = (text: string): string => text.replace(/[&<>"]/g, (letter) => letters[letter]!)

const page = (came: readonly Came[]): string => `<!doctype html>
<title>What came</title>
<style>
  body { font: 13px/1.5 'Public Sans', sans-serif; background: #f6f3ec; color: #22302d; margin: 32px auto; max-width: 820px }
  h1 { font-size: 19px } article { border-top: 1px solid #d8d2c4; padding: 10px 0 } pre { white-space: pre-wrap; margin: 4px 0 0 }
  small { color: #5d6a65 }
</style>
<h1>What came</h1>
<p>A stand-in for whoever is told by mail or by an event. It keeps the newest ${kept}, until the demo ends.</p>
${came.length === 0 ? '<p>Nothing came yet.</p>' : ''}
${came
  .map(
    ({ at, how, to, subject, text }) =>
      `<article><b>${safe(subject)}</b> <small>${how} to ${safe(to)}, ${at}</small><pre>${safe(text)}</pre></article>`,
  )
  .join('\n')}`
