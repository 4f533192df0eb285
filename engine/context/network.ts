import { lookup as resolve } from 'node:dns'
import { BlockList, isIP } from 'node:net'
import type { LookupFunction } from 'node:net'
import { Agent, buildConnector } from 'undici'

/** Which addresses of a network services may lie at. */
export interface Network {
  /** Why an address may not be asked; undefined where it may. `address` is an IP address. */
  refusal(address: string): string | undefined
  /** Asks by it: a name is looked up and every address it stands for is held to the rules, at every connection. */
  readonly agent: Agent
}

/** IANA special-purpose registries for IPv4 and IPv6 (RFC 6890 and its updates). */
const never = {
  'of this machine': ['127.0.0.0/8', '0.0.0.0/8', '::/96'],
  'of this link': ['169.254.0.0/16', 'fe80::/10', 'fec0::/10'],
  'of many or of none': [
    ...['192.0.0.0/24', '192.88.99.0/24', '224.0.0.0/4', '240.0.0.0/4', 'ff00::/8', '100::/64'],
    // an IPv4 address within an IPv6 one: NAT64 (RFC 6052, 8215), 6to4 (RFC 3056), Teredo (RFC 4380)
    ...['64:ff9b::/96', '64:ff9b:1::/48', '2002::/16', '2001::/32'],
  ],
}
const privateRanges = [
  '10.0.0.0/8',
  '172.16.0.0/12',
  '192.168.0.0/16',
  '100.64.0.0/10',
  '198.18.0.0/15',
  'fc00::/7',
]

/**
 * The network as the environment sets it: MATTOCK_ALLOW_ADDRESSES and MATTOCK_DENY_ADDRESSES are ranges (CIDR) with
 * commas between, MATTOCK_PRIVATE_ADDRESSES=1 allows private ones. What is denied is denied, what is allowed is allowed;
 * of the rest, addresses of this machine, of the link, private and reserved ones are not asked.
 * @throws where a range cannot be read
 */
export function readNetwork(environment: Readonly<Record<string, string | undefined>>): Network {
  const ranges = (name: string) => (environment[name] ?? '').split(',').map((range) => range.trim()).filter(Boolean) // prettier-ignore
  const denied = listOf(ranges('MATTOCK_DENY_ADDRESSES'), 'MATTOCK_DENY_ADDRESSES')
  const allowed = listOf(ranges('MATTOCK_ALLOW_ADDRESSES'), 'MATTOCK_ALLOW_ADDRESSES')
  const rules: readonly (readonly [string, BlockList])[] = [
    ...Object.entries(never).map(([words, list]) => [words, listOf(list)] as const),
    ...(environment.MATTOCK_PRIVATE_ADDRESSES === '1' ? [] : [['private', listOf(privateRanges)] as const]),
  ]
  const refusal = (given: string): string | undefined => {
    // an IPv4 address in the clothes of an IPv6 one
    const address = /^::ffff:(\d+\.\d+\.\d+\.\d+)$/i.exec(given)?.[1] ?? given
    const kind = isIP(address) === 6 ? 'ipv6' : 'ipv4'
    if (isIP(address) === 0) return `"${given}" is no address`
    if (denied.check(address, kind)) return `${address} is denied by MATTOCK_DENY_ADDRESSES`
    if (allowed.check(address, kind)) return undefined
    const rule = rules.find(([, list]) => list.check(address, kind))
    return rule && `${address} is an address ${rule[0]}; MATTOCK_ALLOW_ADDRESSES says which may be asked`
  }
  const lookup: LookupFunction = (hostname, options, callback) => {
    resolve(hostname, { ...options, all: true }, (error, found) => {
      if (error) return callback(error, '', 0)
      const why = found.map(({ address }) => refusal(address)).find((one) => one !== undefined)
      if (why !== undefined) return callback(new AddressRefused(`${hostname}: ${why}`), '', 0)
      if (options.all) return callback(null, found)
      callback(null, found[0]!.address, found[0]!.family)
    })
  }
  const connector = buildConnector({ lookup, timeout: 10_000 })
  const connect: typeof connector = (options, callback) => {
    // what is an address itself is never looked up
    const host = bareHost(options.hostname)
    const why = isIP(host) === 0 ? undefined : refusal(host)
    if (why !== undefined) return callback(new AddressRefused(why), null)
    connector(options, callback)
  }
  return { refusal, agent: new Agent({ connect }) }
}

/** The host of an address without the brackets of IPv6 (RFC 3986, 3.2.2). */
export const bareHost = (host: string): string => host.replace(/^\[|\]$/g, '')

/** A name stands for an address that may not be asked. */
export class AddressRefused extends Error {
  readonly code = 'ADDRESS_REFUSED'
}

function listOf(ranges: readonly string[], setting?: string): BlockList {
  const list = new BlockList()
  for (const range of ranges) {
    const [address = '', bits] = range.split('/')
    const version = isIP(address)
    const wide = version === 6 ? 128 : 32
    const prefix = bits === undefined ? wide : Number(bits)
    if (version === 0 || !(Number.isInteger(prefix) && prefix >= 0 && prefix <= wide))
      throw new Error(`${setting ?? 'a range'}: "${range}" is no range of addresses, such as 10.0.0.0/8`)
    list.addSubnet(address, prefix, version === 6 ? 'ipv6' : 'ipv4')
  }
  return list
}
