import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { routes } from '../../contract/routes'
import { testServer, type TestServer } from '../../tests/support/server'

let server: TestServer
beforeAll(async () => {
  server = await testServer()
  await server.rows('create schema raw')
  await server.rows('create table raw.reading (meter text primary key, value numeric)')
  server.writeFile('north.csv', 'meter,value\na,1.5\nb,2\n')
})
afterAll(() => server.close())

const text = (more = '') => `mattock: job/1
name: readings
title: Readings
slices: {every: P1D, zone: Europe/Oslo, from: 2026-11-01}
parameters:
  region: {type: text, default: all, try: north}
parts:
  - each: {roster: {rows: [{file: north}, {file: "it's \\"here\\""}]}, at_once: 2}
    do:
      - id: bring-in
        transfer:
          from: {store: drop, files: "{row.file}.csv"}
          into: {connection: warehouse, table: raw.reading, write: upsert, key: [meter]}
      - id: count
        sql: {on: warehouse, text: "select {row.file}, {slice.from}, {param.region}"}
${more}`

const save = (body: { text: string; base?: number; message?: string }, name = 'readings') => ({
  params: { name },
  body,
})

describe('saving a job', () => {
  it('makes versions that never change, each with who and why', async () => {
    expect(await server.engineer.call(routes.saveJob, save({ text: text(), message: 'the first' }))).toEqual({
      version: 1,
      stays: [],
    })
    const second = text('    # a second part is to come\n')
    await server.engineer.call(routes.saveJob, save({ text: second, base: 1 }))
    const job = await server.reader.call(routes.job, { params: { name: 'readings' } })
    expect(job).toMatchObject({ version: 2, newest: 2, text: second, savedBy: 'the engineer' })
    expect(job.versions.map(({ version, message }) => [version, message])).toEqual([
      [2, ''],
      [1, 'the first'],
    ])
    const first = await server.reader.call(routes.job, {
      params: { name: 'readings' },
      query: { version: 1 },
    })
    expect(first).toMatchObject({ version: 1, newest: 2, text: text(), message: 'the first' })
  })

  it('makes none where nothing changed', async () => {
    const { version } = await server.engineer.call(routes.job, { params: { name: 'readings' } })
    const same = await server.engineer.call(routes.job, { params: { name: 'readings' } })
    expect(await server.engineer.call(routes.saveJob, save({ text: same.text }))).toEqual({
      version,
      stays: [],
    })
  })

  it('tells the later of two who began from the same version, and overwrites nothing', async () => {
    const { version } = await server.engineer.call(routes.job, { params: { name: 'readings' } })
    const both = await Promise.allSettled(
      ['one', 'two'].map((which) =>
        server.engineer.call(routes.saveJob, save({ text: text(`    # ${which}\n`), base: version })),
      ),
    )
    expect(both.map(({ status }) => status).sort()).toEqual(['fulfilled', 'rejected'])
    const after = await server.engineer.call(routes.job, { params: { name: 'readings' } })
    expect(after.version).toBe(version + 1)
    const fault = await server.engineer.fault(routes.saveJob, save({ text: text(), base: version }))
    expect(fault).toMatchObject({ status: 409, code: 'conflict' })
    expect(fault.message).toContain(`saved version ${version + 1} meanwhile`)
  })

  it('names every mistake with its line, and saves nothing', async () => {
    const wrong = text().replace('at_once: 2', 'at_onec: 2').replace('write: upsert', 'write: merge')
    const fault = await server.engineer.fault(routes.saveJob, save({ text: wrong }))
    expect(fault.status).toBe(422)
    expect(fault.faults.map(({ where }) => where.line)).toEqual(expect.arrayContaining([8, 13]))
    expect(fault.faults.map(({ message }) => message).join(' ')).toContain('did you mean "at_once"?')
    expect(await server.engineer.fault(routes.saveJob, save({ text: 'mattock: [' }))).toMatchObject({
      status: 422,
      code: 'yaml',
    })
  })

  it('keeps the name of a job', async () => {
    const fault = await server.engineer.fault(routes.saveJob, save({ text: text() }, 'another'))
    expect(fault.message).toContain('its name cannot be changed to "readings"')
  })

  it('refuses a new job under a name that is taken', async () => {
    expect(await server.engineer.fault(routes.saveJob, save({ text: text(), base: 0 }))).toMatchObject({
      status: 409,
      where: { path: 'name' },
    })
  })
})

describe('a job', () => {
  it('is found by its name only; the nearest is named', async () => {
    const fault = await server.reader.fault(routes.job, { params: { name: 'reading' } })
    expect(fault).toMatchObject({
      status: 404,
      message: 'there is no job "reading"; did you mean "readings"?',
    })
    expect(
      await server.reader.fault(routes.job, { params: { name: 'readings' }, query: { version: 99 } }),
    ).toMatchObject({ status: 404, message: 'job readings has no version 99' })
  })

  it('stands in the list with what it loops over, its steps and its slices', async () => {
    expect(await server.reader.call(routes.jobs)).toMatchObject([
      { name: 'readings', title: 'Readings', slices: 'P1D, Europe/Oslo', steps: 2, lastRun: null },
    ])
  })

  it('is checked as it is typed: its outline, or its mistakes', async () => {
    const good = await server.reader.call(routes.checkJob, { body: { text: text() } })
    expect(good.faults).toEqual([])
    expect(good.outline!.parts).toMatchObject([
      { kind: 'each', atOnce: 2, sliced: true, steps: [{ id: 'bring-in', kind: 'transfer' }, { id: 'count', kind: 'sql' }] },
    ]) // prettier-ignore
    const bad = await server.reader.call(routes.checkJob, { body: { text: text().replace('id: count', 'id: bring-in') } }) // prettier-ignore
    expect(bad.outline).toBeNull()
    expect(bad.faults[0]!.message).toMatch(/bring-in/)
  })
})

describe('resolving a text', () => {
  const resolve = (more: object = {}) =>
    server.engineer.call(routes.resolveJob, {
      body: { text: text(), environment: 'dev', part: 0, slice: '2026-11-03', ...more },
    })

  it('gives what each comes to for one row and slice, values bound and not spliced', async () => {
    const answer = await resolve({ row: `it's "here"` })
    expect(answer).toMatchObject({ rowCount: 2, row: `it's "here"` })
    expect(answer.slice).toMatchObject({
      from: '2026-11-02T23:00:00Z',
      to: '2026-11-03T23:00:00Z',
    })
    const by = (path: string) => answer.slots.find((slot) => slot.path === path)!
    expect(by('transfer.from.files')).toMatchObject({ resolved: `it's "here".csv`, found: [] })
    expect(by('sql.text')).toMatchObject({
      resolved: 'select $1, $2::timestamptz, $3',
      values: [`it's "here"`, '2026-11-02T23:00:00Z', 'all'],
    })
  })

  it('finds the files that a path means', async () => {
    const { slots } = await resolve({ row: 'north' })
    expect(slots.find((slot) => slot.path === 'transfer.from.files')!.found).toMatchObject([
      { path: 'north.csv', size: 22 },
    ])
  })

  it('says what stands against the load, at its place', async () => {
    const { findings } = await resolve({ row: `it's "here"` })
    expect(findings.map(({ code }) => code)).toContain('no-file')
  })

  it('takes parameters, and says which is wrong', async () => {
    const { slots } = await resolve({ parameters: { region: 'south' } })
    expect(slots.find((slot) => slot.path === 'sql.text')!.values).toContain('south')
    const { findings } = await resolve({ parameters: { regoin: 'x' } })
    expect(findings.map(({ code, message }) => `${code}: ${message}`).join('\n')).toMatch(
      /has no parameter "regoin"; did you mean "region"/,
    )
  })

  it('refuses a part that is not there, and slices that are none', async () => {
    const ask = (more: object) =>
      server.engineer.fault(routes.resolveJob, {
        body: { text: text(), environment: 'dev', part: 0, ...more },
      })
    expect((await ask({ part: 7 })).message).toContain('the job has no part 8')
    expect(await ask({ slice: 'yesterday-ish' })).toMatchObject({ status: 400, code: 'slices' })
    expect(await ask({ text: 'nothing' })).toMatchObject({ status: 422 })
  })

  it('lets a reader see what is saved, and not what they made up', async () => {
    const { text: saved } = await server.reader.call(routes.job, { params: { name: 'readings' } })
    const ask = (of: string) => ({ body: { text: of, environment: 'dev', part: 0 } })
    await server.reader.call(routes.resolveJob, ask(saved))
    const own = saved.replace('select {row.file}', 'select current_user, {row.file}')
    expect(await server.reader.fault(routes.resolveJob, ask(own))).toMatchObject({ status: 403 })
  })
})

describe('the preview of a roster', () => {
  const preview = (roster: string, more: object = {}) => ({
    body: {
      text: `mattock: job/1\nname: p\ntitle: P\nparts:\n  - each: {roster: ${roster}}\n    do: [{id: s, log: {text: x}}]\n`,
      environment: 'dev',
      part: 0,
      ...more,
    },
  })

  it('gives its rows with their keys, by page and by what is looked for', async () => {
    const roster = '{range: {from: 1, to: 250}}'
    const answer = await server.engineer.call(routes.previewRoster, preview(roster, { limit: 3 }))
    expect(answer).toMatchObject({ before: 250, total: 250, found: 250 })
    expect(answer.rows.map(({ key }) => key)).toEqual(['1', '2', '3'])
    const page = await server.engineer.call(routes.previewRoster, preview(roster, { offset: 248 }))
    expect(page.rows.map(({ key }) => key)).toEqual(['249', '250'])
    const some = await server.engineer.call(routes.previewRoster, preview(roster, { search: '25' }))
    expect(some.found).toBe(4) // 25, 125, 225, 250
  })

  it('reads a query on its connection, values and all', async () => {
    const query = `{query: {on: warehouse, text: "select * from (values ('x', 1), ('y', null)) v(name, n)"}, key: [name]}`
    const answer = await server.engineer.call(routes.previewRoster, preview(query))
    expect(answer.rows).toEqual([
      { key: 'x', row: { name: 'x', n: 1 } },
      { key: 'y', row: { name: 'y', n: null } },
    ])
  })

  it('says what the database says against it', async () => {
    const query = `{query: {on: warehouse, text: "select * from nowhere.at_all"}}`
    const answer = await server.engineer.call(routes.previewRoster, preview(query))
    expect(answer.rows).toEqual([])
    expect(answer.findings).toMatchObject([{ level: 'stop' }])
    expect(answer.findings[0]!.message).toContain('nowhere.at_all')
  })
})
