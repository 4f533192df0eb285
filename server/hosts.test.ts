import type { Request } from 'express'
import { describe, expect, it } from 'vitest'
import { isLocal, isOurHost } from './hosts'

describe('names of this server', () => {
  it.each([
    ['localhost', true], ['LOCALHOST:4810', true], ['127.0.0.1:80', true], ['[::1]:4810', true], ['mattock.ostrel.example', true],
    ['mattock.ostrel.example:443', true], ['ostrel.example', false], ['localhost:80:90', false], ['127.0.0.2', false], ['', false],
  ])('%s: %s', (host, answer) => expect(isOurHost(host, ['Mattock.ostrel.example'])).toBe(answer)) // prettier-ignore

  it('are said: one without any is none of ours', () => expect(isOurHost(undefined, [])).toBe(false))
})

describe('a request of this machine', () => {
  const from = (remoteAddress: string, headers: object) =>
    isLocal({ socket: { remoteAddress }, headers } as unknown as Request)
  it.each([
    ['127.0.0.1', { host: 'localhost:1' }, true],
    ['::ffff:127.0.0.1', { host: '127.0.0.1:1' }, true],
    ['::1', { host: '[::1]:1' }, true],
    ['10.0.0.9', { host: 'localhost' }, false],
    // somebody between answers for others
    ['127.0.0.1', { host: 'localhost', 'x-forwarded-for': '10.0.0.9' }, false],
    ['127.0.0.1', { host: 'localhost', forwarded: 'for=10.0.0.9' }, false],
    ['127.0.0.1', { host: 'mattock.ostrel.example' }, false],
  ])('from %s with %o: %s', (address, headers, answer) => expect(from(address, headers)).toBe(answer))
})
