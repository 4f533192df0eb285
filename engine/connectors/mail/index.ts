import { isIP } from 'node:net'
import { mail as definition } from '../../../core/connection/mail'
import { fail } from '../../../core/fault'
import { openSmtp } from '../../messages/smtp'
import type { Connector } from '../definition'
import { testReach } from '../reach'

export const mail: Connector<'mail'> = {
  open: (name, settings, secret, engine) => ({
    kind: 'mail',
    name,
    server: { ...definition.settings.parse(settings), password: secret },
    network: engine.network,
  }),
  refusal: ({ host }, engine) =>
    Promise.resolve(isIP(String(host)) === 0 ? undefined : engine.network.refusal(String(host))),
  async test({ server, network }, step) {
    await testReach(server.host, server.port, step, network)
    await step(server.user === '' ? 'takes mails' : 'sign-in', async () => {
      await (await openSmtp(server, network)).verify()
      return [undefined, server.user === '' ? 'it answers as a mail server' : `as ${server.user}`]
    })
  },
  browse: () => Promise.resolve([]),
  firstRows: (_opened, path) => Promise.resolve(fail('file', 'a mail server holds no rows', { path })),
  survey: () => Promise.resolve({ found: [], strays: [] }),
}
