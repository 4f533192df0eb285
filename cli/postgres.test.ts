import { describe, expect, it } from 'vitest'
import { reasonIn, socketIn } from './postgres'

// lines as Postgres 15 writes them to its standard error
describe('why Postgres ended', () => {
  it.each([
    ['PANIC:  could not write to file "pg_wal/xlogtemp.29": No space left on device', 'no space left on its disk'],
    ['FATAL:  could not map anonymous shared memory: Cannot allocate memory', 'no memory left'],
    ['LOG:  could not bind IPv4 address "127.0.0.1": Address already in use', 'another program has its port'],
    ['LOG:  received fast shutdown request\nLOG:  database system is shut down', 'somebody shut it down'],
    ['FATAL:  data directory "/data/pg" has wrong ownership', 'data directory … has wrong ownership'],
    ['postgres: could not access the server configuration file "/data/pg/postgresql.conf": No such file or directory', 'could not access the server configuration file …: No such file or directory'],
    ['', 'it ended without a word'],
  ])('%s: %s', (log, reason) => expect(reasonIn(log)).toBe(reason)) // prettier-ignore
})

describe('a socket of its own', () => {
  it.each([
    ['/srv/mattock/postgres', true],
    // sun_path holds 108 bytes with its end (unix(7)); `.s.PGSQL.54321` and the slash are 15 of them
    [`/${'a'.repeat(91)}`, true],
    [`/${'a'.repeat(92)}`, false],
    [`/${'é'.repeat(46)}`, false],
    ['/srv/a, b/postgres', false],
    ['/srv/a "b"/postgres', false],
    ['/srv/our data/postgres', true],
  ])('in %s: %s', (folder, may) => expect(socketIn(folder, 54_321)).toBe(may))
})
