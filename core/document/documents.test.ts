import fc from 'fast-check'
import { parseJob } from '../job/parse'
import { describe, expect, it } from 'vitest'
import { documentKinds, readDocuments } from './documents'

const connection = `mattock: connection/1
name: books
kind: postgres
title: Books
cap: 4
settings:
  dev: {host: 127.0.0.1, port: 5432, database: b, user: u}
secret_from: {dev: BOOKS}
`
const control = `mattock: control/1
name: feeds
title: Feeds
key: [feed]
columns: {feed: text, due: time}
rules: {feed: {required: true}}
rows:
  - {feed: a, due: "05:30"}
  - {feed: b}
`
const job = `mattock: job/1
name: readings
title: Readings
parts:
  - once: [{id: s, log: {text: x}}]
`
const faultsOf = (text: string) => readDocuments(text).faults
const lines = (text: string) => faultsOf(text).map(({ where }) => where.line)

describe('documents', () => {
  it('are read one after the other, each of its kind', () => {
    const { found, faults } = readDocuments([connection, control, job].join('---\n'))
    expect(faults).toEqual([])
    expect(found.map(({ kind, value }) => [kind, value.name])).toEqual([
      ['connection', 'books'],
      ['control', 'feeds'],
      ['job', 'readings'],
    ])
  })

  it('keep the text of each, comments and all', () => {
    const commented = `# why\n${job}# and that is it\n`
    const { found } = readDocuments(`---\n${commented}---\n${control}`)
    expect(found.map(({ text }) => text)).toEqual([commented, control])
  })

  it('carry the lines of the file, wherever they stand in it', () => {
    const wrong = job.replace('title:', 'titel:')
    expect(lines(wrong)).toEqual(expect.arrayContaining([3]))
    expect(lines(`${connection}---\n${wrong}`)).toEqual(expect.arrayContaining([9 + 3]))
    expect(lines(`---\n${wrong}`)).toEqual(expect.arrayContaining([1 + 3]))
    expect(lines(`${connection}--- # the job\n\n\n${wrong}`)).toEqual(expect.arrayContaining([9 + 2 + 3]))
  })

  it('are told apart by their first word, and said to be nothing where they have none', () => {
    expect(faultsOf('name: x\n')[0]!.message).toMatch(
      /it does not say what it is; it begins with mattock: connection\/1 or/,
    )
    expect(faultsOf('mattock: pigeon/1\n')[0]!.message).toMatch(/does not say what it is/)
    expect(faultsOf(`${job}---\nname: x\n`)[0]!.where.line).toBe(7)
  })

  it('of nothing but comments and breaks are none', () => {
    for (const text of ['', '\n\n', '# only a word\n', '---\n---\n', '\uFEFF'])
      expect(readDocuments(text)).toEqual({ found: [], faults: [] })
  })

  it('come from files of whatever line ends, with or without a mark at the beginning', () => {
    for (const text of [job.replace(/\n/g, '\r\n'), `\uFEFF${job}`]) {
      const { found, faults } = readDocuments(text)
      expect(faults).toEqual([])
      expect(found[0]!.value.name).toBe('readings')
    }
  })

  it('say of a name that would be lost where it stands, however it is written', () => {
    const text = 'mattock: job/1\nname: a\ntitle: A\nparameters:\n  ok: {type: text}\n  "__pr\\u006fto__": {type: text}\n'
    const { job: read, faults } = parseJob(text)
    expect(read).toBeUndefined()
    expect(faults).toMatchObject([{ code: 'document', message: /can be called "__proto__"/, where: { line: 6, column: 3 } }].map((fault) => ({ ...fault, message: expect.stringMatching(fault.message) })))
  }) // prettier-ignore
  it('never throw, whatever is given', () => {
    fc.assert(
      fc.property(
        fc.oneof(
          fc.string(),
          fc.constantFrom(...documentKinds).map((kind) => `mattock: ${kind}/1\n`),
        ),
        fc.string(),
        (head, rest) => {
          const { found, faults } = readDocuments(`${head}${rest}`)
          expect(found.length + faults.length).toBeGreaterThanOrEqual(0)
        },
      ),
      { numRuns: 300 },
    )
  })
})

describe('a connection as a document', () => {
  const change = (from: string, to: string) => faultsOf(connection.replace(from, to))

  it('holds the settings of its kind, each fault at its place', () => {
    expect(change('port: 5432', 'port: many')[0]!.where).toMatchObject({ path: 'settings.dev.port', line: 7 })
    expect(change('user: u', 'usr: u').length).toBeGreaterThan(0)
    expect(change('kind: postgres', 'kind: pigeon')[0]!.where).toMatchObject({ path: 'kind', line: 3 })
  })

  it('names the variable of a secret, never the secret', () => {
    expect(change('BOOKS', 'not a name')[0]!.message).toContain('the name of a variable')
    expect(change('secret_from: {dev', 'secret_from: {live')[0]!.message).toBe(
      'there are no settings for live',
    )
    expect(change('secret_from: {dev: BOOKS}', 'secret: hush')[0]!.message).toMatch(
      /nothing here is called "secret"/,
    )
  })

  it('has a name that jobs can write, and a cap that is one', () => {
    expect(change('name: books', 'name: My Books')[0]!.where).toMatchObject({ path: 'name', line: 2 })
    expect(change('cap: 4', 'cap: 0')).toHaveLength(1)
    expect(change('cap: 4\n', '')).toEqual([])
  })
})

describe('a control table as a document', () => {
  const change = (from: string, to: string) => faultsOf(control.replace(from, to))

  it('has columns for its key, its rules and its rows', () => {
    expect(change('key: [feed]', 'key: [fed]').map(({ message }) => message)).toContain(
      'there is no column "fed" above',
    )
    expect(change('rules: {feed', 'rules: {due2')[0]!.message).toBe('there is no column "due2" above')
    expect(change('{feed: b}', '{feed: b, dou: 1}')[0]!.where).toMatchObject({ line: 9 })
  })

  it('has each key once', () => {
    expect(change('{feed: b}', '{feed: a}')[0]!.message).toBe('row 1 has the same key')
    const two = control.replace('key: [feed]', 'key: [feed, due]')
    expect(faultsOf(two.replace('{feed: b}', '{feed: a}'))).toEqual([])
  })

  it('has types that there are', () => {
    expect(change('due: time', 'due: clock')[0]!.where).toMatchObject({ line: 5 })
  })
})
