import { bareHost } from '../../context/network'
import { isIP } from 'node:net'
import { fail } from '../../../core/fault'
import type { Connector } from '../definition'
import { testReach } from '../reach'

export const webhook: Connector<'webhook'> = {
  open: (name, { address }, secret, engine) => ({
    kind: 'webhook',
    name,
    address: String(address),
    key: secret,
    network: engine.network,
  }),
  refusal: ({ address }, engine) => {
    const host = bareHost(URL.parse(String(address))?.hostname ?? '')
    return Promise.resolve(isIP(host) === 0 ? undefined : engine.network.refusal(host))
  },
  // an event that nobody meant is not sent: that it answers is all that can be tried
  async test({ address, network }, step) {
    const { hostname, port, protocol } = new URL(address)
    await testReach(hostname, Number(port || (protocol === 'https:' ? 443 : 80)), step, network)
  },
  browse: () => Promise.resolve([]),
  firstRows: (_opened, path) =>
    Promise.resolve(fail('file', 'a web address for events holds no rows', { path })),
  survey: () => Promise.resolve({ found: [], strays: [] }),
}
