import { fetch } from 'undici'
import { mkdirSync, mkdtempSync, rmSync, symlinkSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterEach, beforeEach, describe, expect, it } from 'vitest'
import { readLimits } from './limits'
import { readNetwork } from './network'
import { readStorePlaces, storeRefusal } from './stores'

let root: string
let data: string
beforeEach(() => {
  root = mkdtempSync(join(tmpdir(), 'mattock-places-'))
  data = join(root, 'data')
  for (const folder of ['data/stores/a', 'data/rejects', 'data/gauge-drop', 'srv/in', 'elsewhere'])
    mkdirSync(join(root, folder), { recursive: true })
})
afterEach(() => rmSync(root, { recursive: true, force: true }))

describe('where a store may lie', () => {
  const refused = async (folder: string, setting?: string) =>
    (await storeRefusal(join(root, folder), readStorePlaces({ MATTOCK_STORES: setting }, data))) ?? 'none'

  it('without a setting: below stores of the data folder', async () => {
    expect(await refused('data/stores/a')).toBe('none')
    expect(await refused('data/stores/not-there-yet')).toBe('none')
    expect(await refused('srv/in')).toMatch(/lies below none of the folders .*MATTOCK_STORES/)
    expect(await refused('/etc')).toMatch(/below none/)
    // the demo's only where there is one
    expect(await refused('data/gauge-drop')).toMatch(/own data/)
    writeFileSync(join(data, 'demo'), '')
    expect(await refused('data/gauge-drop')).toBe('none')
  })

  it('with one: below its folders, never in Mattock’s own data, nor around it', async () => {
    const srv = join(root, 'srv')
    expect(await refused('srv/in', srv)).toBe('none')
    expect(await refused('data/stores/a', srv)).toMatch(/own data/)
    expect(await refused('data', root)).toMatch(/own data/)
    expect(await refused('data/rejects', root)).toMatch(/own data/)
    expect(await refused('.', root)).toMatch(/holds Mattock’s own data/)
    expect(await refused('elsewhere', `${srv}:${root}`)).toBe('none')
    expect(await refused('srv-not', srv)).toMatch(/below none/)
  })

  it('not by links', async () => {
    symlinkSync(data, join(root, 'srv/way'))
    symlinkSync('/etc', join(root, 'srv/etc'))
    symlinkSync(join(root, 'srv/round'), join(root, 'srv/round'))
    const srv = join(root, 'srv')
    expect(await refused('srv/way/rejects', srv)).toMatch(/own data/)
    expect(await refused('srv/etc', srv)).toMatch(/below none/)
    expect(await refused('srv/etc/not-there', srv)).toMatch(/below none/)
    expect(await refused('srv/../elsewhere', srv)).toMatch(/below none/)
  })
})

// the ranges are those of the IANA special-purpose address registries (RFC 6890, 4193, 6598, 6052)
describe('where a service may lie', () => {
  const plain = readNetwork({})
  it.each([
    '127.0.0.1', '127.255.0.1', '0.0.0.0', '10.1.2.3', '172.31.255.255', '192.168.0.1', '100.64.0.1', '169.254.169.254', '224.0.0.1',
    '255.255.255.255', '::1', '::', 'fe80::1', 'fd00::1', 'ff02::1', '::ffff:127.0.0.1', '::ffff:10.0.0.1', '64:ff9b::7f00:1', 'not-one', '2130706433',
    '192.0.0.1', '192.0.0.170', '192.88.99.1', '64:ff9b:1::7f00:1', 'fec0::1', 'feff::1', '::ffff:7f00:1', '::ffff:a00:1', '::7f00:1', '2002:7f00:1::', '2001:0:7f00:1::1', '100::1',
  ])('not at %s', (address) => expect(plain.refusal(address)).toBeTypeOf('string')) // prettier-ignore
  it.each(['93.184.216.34', '172.32.0.1', '192.169.0.1', '2606:2800:220:1::1', '::ffff:93.184.216.34'])(
    'at %s',
    (address) => expect(plain.refusal(address)).toBeUndefined(),
  )

  it('by whatever road: a name, or an address that is written in the place of one', async () => {
    const dead = (address: string) =>
      fetch(address, { dispatcher: plain.agent }).then(
        () => 'answered',
        (error: Error & { cause?: Error & { code?: string } }) => error.cause?.code,
      )
    for (const host of ['localhost', '127.0.0.1', '[::1]', '[::ffff:127.0.0.1]', '2130706433', '0x7f.1', '[64:ff9b::7f00:1]'])
      expect([host, await dead(`http://${host}:5999/`)]).toEqual([host, 'ADDRESS_REFUSED'])
  }) // prettier-ignore

  it('at private addresses where that is set, and still not on this machine or this link', () => {
    const open = readNetwork({ MATTOCK_PRIVATE_ADDRESSES: '1' })
    for (const address of ['10.1.2.3', '192.168.0.1', 'fd00::1'])
      expect(open.refusal(address)).toBeUndefined()
    for (const address of ['127.0.0.1', '169.254.169.254', '::1'])
      expect(open.refusal(address)).toBeTypeOf('string')
  })

  it('at what is allowed, but for what is denied', () => {
    const own = readNetwork({
      MATTOCK_ALLOW_ADDRESSES: '10.0.0.0/8, ::1',
      MATTOCK_DENY_ADDRESSES: '10.6.0.0/16,93.184.216.34',
    })
    expect(own.refusal('10.5.0.1')).toBeUndefined()
    expect(own.refusal('::1')).toBeUndefined()
    expect(own.refusal('10.6.0.1')).toMatch(/denied/)
    expect(own.refusal('93.184.216.34')).toMatch(/denied/)
    expect(() => readNetwork({ MATTOCK_DENY_ADDRESSES: '10.0.0.0/33' })).toThrow(
      /MATTOCK_DENY_ADDRESSES: "10.0.0.0\/33" is no range/,
    )
  })

  it('is looked at when a name is looked up', async () => {
    const { fetch } = await import('undici')
    // a name that every machine has for itself
    const asked = fetch('http://localhost:4999/', { dispatcher: plain.agent })
    await expect(asked).rejects.toMatchObject({ cause: { code: 'ADDRESS_REFUSED' } })
  })
})

describe('limits', () => {
  it('are as they are set, each in its unit', () => {
    expect(readLimits({ MATTOCK_MEMORY_MB: '100', MATTOCK_LOCK_WAIT_SECONDS: '2.5' })).toMatchObject({ memory: 104_857_600, lockWait: 2500, silence: 15_000 }) // prettier-ignore
  })

  it.each(['0', '-1', 'many', 'Infinity'])('%s is none', (text) =>
    expect(() => readLimits({ MATTOCK_COLUMNS: text })).toThrow(
      `MATTOCK_COLUMNS takes a number above 0; it is "${text}"`,
    ),
  )
})
