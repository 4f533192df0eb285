import type { MessageSpec } from '../../core/job/messages'
import { openAs } from '../connectors/connections'
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

export const mail: Sender<MessageSpec<'mail'>> = {
  would: (sending) => `a mail to ${toOf(sending)}: ${sending.text('subject').text}`,
  async send(sending) {
    const { context, text, id } = sending
    const { engine, environment } = context
    const { server } = await openAs(engine, 'mail', text('on').text, environment)
    const domain = /@([^\s>]+)/.exec(server.from)?.[1] ?? 'mattock.invalid'
    try {
      const smtp = await openSmtp(server, engine.network)
      const sent = await smtp.sendMail({
        from: server.from,
        to: toOf(sending),
        // a line break would begin another header
        subject: text('subject').text.replace(/\s+/g, ' '),
        text: text('text').text,
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
  },
} // prettier-ignore
