import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { saveSettings } from '../engine/connectors/connections'
import { testBench, type TestBench } from './support/bench'
import { moved as movedOn } from './support/moved'
import { testService } from './support/service'

let bench: TestBench
beforeAll(async () => {
  bench = await testBench()
  await bench.worker(3)
})
afterAll(() => bench.close())

const moved = (from: string, into: string, more = '') => movedOn(bench, from, into, more)
const table = (name: string, write = 'append') =>
  `{connection: warehouse, table: public.${name}, write: ${write}}`

describe('from a service', () => {
  it.each(['page', 'offset', 'cursor', 'link'] as const)('reads all pages, by %s', async (paging) => {
    const all = Array.from({ length: 23 }, (_, i) => ({ id: i, tags: ['a'], at: '2026-01-01T00:00:00Z' }))
    const service = await testService((url, _request, response) => {
      const at =
        paging === 'page'
          ? (Number(url.searchParams.get('p')) - 1) * 10
          : Number(url.searchParams.get('p') ?? 0)
      const next = at + 10 < all.length ? at + 10 : null
      if (paging === 'link' && next !== null)
        response.setHeader('link', `</x?p=1>; rel="prev", </x?p=${next}>; title="a, b"; rel="last next"`)
      return { items: all.slice(at, at + 10), meta: { next } }
    })
    await bench.own(`insert into mattock.connection (name, kind, title) values ($1, 'service', 'x')`, [
      `svc-${paging}`,
    ])
    const settings = {
      base: service.base,
      paging,
      page_parameter: paging === 'link' ? '' : 'p',
      size_parameter: paging === 'link' ? '' : 'size',
      page_size: 10,
      cursor_path: 'meta.next',
      records: 'items',
    }
    await saveSettings(bench.engine, `svc-${paging}`, 'dev', { settings }, 'test')
    const load = await moved(`{service: svc-${paging}, path: "/x?of={row.text}"}`, table(`svc_${paging}`))
    expect(load).toMatchObject({ state: 'done', read: 23, written: 23 })
    expect(service.asked).toHaveLength(3)
    expect(service.asked[0]).toContain('of=it%27s')
    await service.close()
  })
  it('waits where it is asked to, signs in, and never shows the secret', async () => {
    let asked = 0
    const service = await testService((_url, request, response) => {
      if (request.headers.authorization !== 'Bearer s3cret') {
        response.statusCode = 401
        return { error: 'who are you' }
      }
      asked++
      if (asked === 1) {
        response.statusCode = 429
        response.setHeader('retry-after', '0')
        return { error: 'slowly' }
      }
      if (asked === 2) {
        response.statusCode = 503
        return 'not now'
      }
      return [{ id: 1 }]
    })
    await bench.own(`insert into mattock.connection (name, kind, title) values ('svc-auth', 'service', 'x')`)
    await saveSettings(
      bench.engine,
      'svc-auth',
      'dev',
      { settings: { base: service.base, sign_in: 'token' }, secret: 'wrong' },
      'test',
    )
    expect((await moved('{service: svc-auth, path: /x}', table('svc_auth'))).message).toBe(
      'svc-auth: it answers 401 Unauthorized for /x: {"error":"who are you"}',
    )
    await saveSettings(
      bench.engine,
      'svc-auth',
      'dev',
      { settings: { base: service.base, sign_in: 'token' }, secret: 's3cret' },
      'test',
    )
    // settings of a moment ago may be used for two seconds
    await expect
      .poll(async () => (await moved('{service: svc-auth, path: /x}', table('svc_auth'))).state, {
        interval: 300,
      })
      .toBe('done')
    const [step] = await bench.own(
      `select log from mattock.load_step s join mattock.load l on l.id = s.load_id where s.log::text like '%429%'`,
    )
    expect(JSON.stringify(step)).toContain('waited and asked again')
    expect(JSON.stringify(await bench.own('select * from mattock.load_step'))).not.toContain('s3cret')
    await service.close()
  })
  it('refuses to carry the secret to another server, and pages that go in a circle', async () => {
    const other = await testService(() => [{ stolen: true }])
    const service = await testService((url, _request, response) => {
      if (url.pathname === '/away') response.setHeader('link', `<${other.base}/x>; rel=next`)
      if (url.pathname === '/round') response.setHeader('link', '</round>; rel=next')
      if (url.pathname === '/moved') {
        response.statusCode = 302
        response.setHeader('location', `${other.base}/x`)
      }
      return [{ id: 1 }]
    })
    await bench.own(`insert into mattock.connection (name, kind, title) values ('svc-away', 'service', 'x')`)
    await saveSettings(
      bench.engine,
      'svc-away',
      'dev',
      { settings: { base: service.base, paging: 'link' } },
      'test',
    )
    const message = async (path: string) =>
      (await moved(`{service: svc-away, path: "${path}"}`, table('svc_away'))).message
    expect(await message('/away')).toMatch(/another server/)
    expect(await message('/round')).toMatch(/in a circle/)
    expect(await message('/moved')).toMatch(/answers 302/)
    expect(await message('//evil.example/x')).toMatch(/no path of the service/)
    expect(await message('/a/%2e%2e/b')).toMatch(/no path of the service/)
    expect(other.asked).toEqual([])
    await Promise.all([service.close(), other.close()])
  })
})
