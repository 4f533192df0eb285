import { lookup } from 'node:dns/promises'
import { connect } from 'node:net'
import { bareHost, type Network } from '../context/network'
import type { Stepper } from './definition'

/** Does a name resolve, and its port answer? It is looked up once, and that address is asked. */
export async function testReach(host: string, port: number, step: Stepper, network?: Network): Promise<void> {
  let address = ''
  await step('name resolves', async () => {
    ;({ address } = await lookup(bareHost(host)))
    const refusal = network?.refusal(address)
    if (refusal !== undefined) throw new Error(refusal)
    return [undefined, `${host} is ${address}`]
  })
  await step(
    'port answers',
    () =>
      new Promise<[undefined, string]>((resolve, reject) => {
        const socket = connect({ host: address, port, timeout: 5000 })
        socket.once('connect', () => {
          socket.destroy()
          resolve([undefined, `port ${port}`])
        })
        socket.once('timeout', () => reject(new Error(`port ${port} does not answer within 5 s`)))
        socket.once('error', reject)
      }),
  )
}
