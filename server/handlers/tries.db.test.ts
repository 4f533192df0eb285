import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { routes } from '../../contract/routes'
import { testServer, type TestServer } from '../../tests/support/server'

let server: TestServer
beforeAll(async () => {
  server = await testServer()
  await server.worker()
  await server.rows('create schema raw')
  await server.rows('create table raw.r (meter text primary key, value integer)')
  await server.rows(`insert into raw.r values ('a', 1)`)
  server.writeFile('north.csv', 'meter,value\na,5\nb,many\nc,3\n')
  await server.engineer.call(routes.saveJob, { params: { name: 'readings' }, body: { text } })
})
afterAll(() => server.close())

const text = `mattock: job/1
name: readings
title: Readings
parameters:
  region: {type: text, default: all, try: north}
parts:
  - each: {roster: {rows: [{file: north}, {file: "it's"}]}}
    do:
      - id: bring-in
        transfer:
          from: {store: drop, files: "{row.file}.csv"}
          into: {connection: warehouse, table: raw.r, write: upsert, key: [meter]}
          types: {value: integer}
          rejects: keep
      - {id: count, sql: {on: warehouse, text: "delete from raw.r where meter = 'a'"}}
`
const ask = (more: object = {}) => ({
  body: { text, environment: 'dev', part: 0, rows: ['north'], holds: [], parameters: {}, ...more },
})
const ended = async (id: number) => {
  for (;;) {
    const found = await server.reader.call(routes.try, { params: { id } })
    if (!['waiting', 'running'].includes(found.state)) return found
    await new Promise((resolve) => setTimeout(resolve, 20))
  }
}
const begin = async (more: object = {}) =>
  await ended((await server.engineer.call(routes.startTry, ask(more))).id)

describe('a try', () => {
  it('shows what went in and came out of each step, and changes nothing real', async () => {
    const found = await begin()
    expect(found).toMatchObject({ state: 'done', saved: true, parameters: { region: 'north' } })
    const steps = found.loads[0]!.steps
    expect(steps.map(({ step, state }) => [step, state])).toEqual([
      ['bring-in', 'done'],
      ['count', 'done'],
    ])
    expect(steps[0]!.counts).toMatchObject({ read: 3, written: 2, rejected: 1 })
    expect(await server.rows('select * from raw.r')).toEqual([{ meter: 'a', value: 1 }])
    const detail = await server.reader.call(routes.tryStep, {
      params: { id: found.id, position: steps[0]!.position },
    })
    expect(detail.looks.map(({ side }) => side)).toEqual(expect.arrayContaining(['in', 'out']))
    expect(detail.resolved).toContainEqual({ path: 'transfer.from.files', text: 'north.csv' })
  })

  it('goes as far as it is told, and holds where it is told', async () => {
    expect((await begin({ until: 'bring-in' })).loads[0]!.steps.map(({ step }) => step)).toEqual(['bring-in'])
    const held = await begin({ holds: ['bring-in'] })
    expect(held.state).toBe('held')
    expect(held.loads[0]!.steps[1]!.state).toBe('waiting')
    await server.engineer.call(routes.goOnTry, { params: { id: held.id } })
    expect((await ended(held.id)).state).toBe('done')
    expect(await server.engineer.fault(routes.goOnTry, { params: { id: held.id } })).toMatchObject({
      status: 409,
      code: 'not-held',
    })
  })

  it('of a text that is not saved keeps the text, so that it can be gone on with', async () => {
    const own = text.replace('title: Readings', 'title: Not saved yet')
    const found = await begin({ text: own })
    expect(found.saved).toBe(false)
    expect(await server.engineer.call(routes.tryDocument, { params: { id: found.id } })).toEqual({
      text: own,
    })
    const list = await server.reader.call(routes.tries, { params: { name: 'readings' } })
    expect(list.map(({ id }) => id)).toContain(found.id)
  })

  it('is cleared: its schema is gone from the target, and what it showed stays', async () => {
    const found = await begin()
    const there = async () =>
      (
        await server.rows('select 1 from information_schema.schemata where schema_name = $1', [
          found.scratch.schema,
        ])
      ).length
    expect(await there()).toBe(1)
    await server.engineer.call(routes.clearTry, { params: { id: found.id } })
    expect(await there()).toBe(0)
    const after = await server.reader.call(routes.try, { params: { id: found.id } })
    expect(after.clearedAt).not.toBeNull()
    expect(after.loads[0]!.steps[0]!.counts).toMatchObject({ read: 3 })
  })

  it('says at which step it failed, and what to do', async () => {
    const found = await begin({ rows: [`it's`] })
    expect(found.state).toBe('failed')
    const [step] = found.loads[0]!.steps
    expect(step!.error!.message).toContain(`it's.csv`)
    expect(step!.error!.advice).not.toBe('')
  })

  it('is refused for rows, parts and texts that are none, and to who may only look', async () => {
    const refuse = (more: object) => server.engineer.fault(routes.startTry, ask(more))
    expect(await refuse({ rows: [] })).toMatchObject({ status: 400, code: 'try' })
    expect((await refuse({ rows: ['south'] })).message).toContain('"south"')
    expect(await refuse({ part: 5 })).toMatchObject({ status: 404 })
    expect(await refuse({ text: 'nothing' })).toMatchObject({ status: 422 })
    expect(await refuse({ environment: 'moon' })).toMatchObject({ status: 404 })
    expect(await server.reader.fault(routes.startTry, ask())).toMatchObject({ status: 403 })
    expect(await server.reader.fault(routes.try, { params: { id: 4242 } })).toMatchObject({ status: 404 })
  })
})
