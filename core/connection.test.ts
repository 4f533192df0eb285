import { describe, expect, it } from 'vitest'
import { connectors } from './connection/connection'
import { inScope } from './catalog/scope'

describe('settings of connections', () => {
  const service = (given: object) =>
    connectors.service.settings.safeParse({ base: 'https://a.example/v1', ...given })
  it.each([
    [{}, true], [{ base: 'ftp://x' }, false], [{ base: 'a.example' }, false], [{ headers: 'X-Key: 1\nAccept: a/b' }, true],
    [{ headers: 'no colon' }, false], [{ endpoints: '/a\n/b?c=d' }, true], [{ endpoints: 'a' }, false], [{ page_size: 0 }, false],
    [{ paging: 'cursor', page_parameter: 'after', cursor_path: 'meta.next' }, true], [{ paging: 'guess' }, false], [{ secret: 'x' }, false],
  ] as const)('%j is right: %s', (given, right) => expect(service(given).success).toBe(right)) // prettier-ignore
  it('of a database need a port', () => {
    const given = { host: 'h', database: 'd', user: 'u' }
    expect(connectors.postgres.settings.safeParse({ ...given, port: '5432' }).data).toEqual({
      ...given,
      port: 5432,
    })
    expect(connectors.postgres.settings.safeParse({ ...given, port: 70_000 }).success).toBe(false)
    expect(connectors.files.settings.safeParse({ folder: ' ' }).success).toBe(false)
  })
})

describe('the scope of a survey', () => {
  it.each([
    ['raw/a.csv', [], [], true],
    ['raw/a.csv', ['raw'], [], true],
    ['rawer/a.csv', ['raw'], [], false],
    ['raw/a.csv', ['*.csv'], [], true],
    ['raw/a.csv', ['raw'], ['*.csv'], false],
    ['raw.pump', ['raw'], [], true],
    ['raw.pump', ['raw.p*'], ['raw.pu*'], false],
    ['a', ['b', 'a'], [], true],
  ] as const)('%s within %j without %j: %s', (path, include, exclude, within) =>
    // prettier-ignore
    expect(inScope(path, include, exclude)).toBe(within),
  )
})
