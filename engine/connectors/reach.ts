import { lookup } from 'node:dns/promises'
import { connect } from 'node:net'
import type { Network } from '../context/network'
import type { Stepper } from './definition'

/** Does a name resolve, and its port answer? */
export async function testReach(host: string, port: number, step: Stepper, network?: Network): Promise<void> {
  await step('name resolves', async () => {
    const { address } = await lookup(host)
    const refusal = network?.refusal(address)
    if (refusal !== undefined) throw new Error(refusal)
    return [undefined, `${host} is ${address}`]
  })
  await step(
    'port answers',
    () =>
      new Promise<[undefined, string]>((resolve, reject) => {
        const socket = connect({ host, port, timeout: 5000 })
        socket.once('connect', () => {
          socket.destroy()
          resolve([undefined, `port ${port}`])
        })
        socket.once('timeout', () => reject(new Error(`port ${port} does not answer within 5 s`)))
        socket.once('error', reject)
      }),
  )
}
