import type { AddressSpec, MessageSpec } from '../../core/job/messages'
import { openAs } from '../connectors/connections'
import type { Engine } from '../context/engine'
import { PassingError } from '../context/passing'
import { stepFault } from '../context/step'
import type { Sender, Sending } from './definition'
import { openSmtp } from './smtp'

/** What a mail server, or the way to it, says. */
interface SmtpError extends Error {
  readonly code?: string
  readonly responseCode?: number
}

const toOf = ({ text }: Sending): string => text('to').text

export const mail: Sender<MessageSpec<'mail'>, AddressSpec<'mail'>> = {
  would: (sending) => `a mail to ${toOf(sending)}: ${sending.text('subject').text}`,
  send: (sending) => {
    const { context, text, id } = sending
    return post(context.engine, context.environment, { id, on: text('on').text, to: toOf(sending), subject: text('subject').text, text: text('text').text })
  },
  tell: ({ engine, environment, id, subject, text }, { on, to }) => post(engine, environment, { id, on, to, subject, text }),
} // prettier-ignore

interface Mail {
  readonly id: string
  readonly on: string
  readonly to: string
  readonly subject: string
  readonly text: string
}

async function post(engine: Engine, environment: string, { id, on, to, subject, text }: Mail): Promise<string> {
  const { server } = await openAs(engine, 'mail', on, environment)
  const domain = /@([^\s>]+)/.exec(server.from)?.[1] ?? 'mattock.invalid'
  try {
    const smtp = await openSmtp(server, engine.network)
    const sent = await smtp.sendMail({
      from: server.from,
      to,
      // a line break would begin another header
      subject: subject.replace(/\s+/g, ' '),
      text,
      messageId: `<${id}@${domain}>`,
      headers: { 'Auto-Submitted': 'auto-generated' },
    })
    const refused = sent.rejected.map(String)
    return `a mail to ${sent.accepted.map(String).join(', ')}: ${sent.response}${refused.length > 0 ? `; not taken for ${refused.join(', ')}` : ''}`
  } catch (error) {
    const { code, responseCode, message } = error as SmtpError
    // RFC 5321, 4.2.1: 4yz may pass, 5yz will not
    if (responseCode !== undefined ? responseCode < 500 : ['ECONNECTION', 'ETIMEDOUT', 'ESOCKET', 'EDNS', 'ENOTFOUND'].includes(code ?? ''))
      throw new PassingError(`the mail was not taken: ${message}`, { cause: error })
    return stepFault('mail', `the mail was not taken: ${message}`, 'look at its addresses and at the connection, then rerun')
  }
} // prettier-ignore
