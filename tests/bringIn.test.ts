import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { bringInJobs, checkDocuments, type Given } from '../engine/jobs/bringIn'
import { readVersion, type DocumentError } from '../engine/jobs/versions'
import { makePlan } from '../engine/planning/plan'
import { testBench, type TestBench } from './support/bench'

let bench: TestBench
beforeAll(async () => {
  bench = await testBench()
  Object.assign(all.connections, { mailbox: { settings: { folder: join(bench.folder, 'stores/mailbox') } } })
})
afterAll(() => bench.close())

const text = (name: string, more = '') => `# kept as it is
mattock: job/1
name: ${name}
title: ${name}
parts:
  - each: {roster: {control: sources, where: row.active, key: [source]}}
    do:
      - id: bring-in
        transfer:
          from: {store: mailbox, files: "{env.prefix}_{row.source}.csv"}   # as it comes
          into: {connection: dw, table: "raw.{row.target}", write: append}
${more}`
const check = (documents: Record<string, string>) =>
  checkDocuments(
    bench.engine,
    Object.entries(documents).map(([file, own]) => ({ file, text: own })),
    'dev',
  )
const bringIn = (documents: Record<string, string>, given: Partial<Given>) =>
  bringInJobs(bench.engine, {
    documents: Object.entries(documents).map(([file, own]) => ({ file, text: own })),
    environment: 'dev',
    given: { connections: {}, controls: {}, values: {}, ...given },
    by: 'test',
  })
const faultsOf = async (work: Promise<unknown>) =>
  await work.then(
    () => [],
    (error: Error) => (error as DocumentError).faults,
  )
const all: Given = {
  connections: { mailbox: { settings: { folder: '' } }, dw: { use: 'warehouse' } },
  controls: { sources: { columns: [{ name: 'source', type: 'text' }, { name: 'active', type: 'boolean' }, { name: 'target', type: 'text' }], key: ['source'] } },
  values: { prefix: 'flow' },
} // prettier-ignore

describe('documents from elsewhere', () => {
  it('are looked through: what is missing, with every place that names it', async () => {
    const { documents, missing } = await check({ 'a.yaml': text('alpha'), 'b.yaml': text('beta') })
    expect(documents).toMatchObject([{ file: 'a.yaml', name: 'alpha', becomes: 1, faults: [] }, { name: 'beta', becomes: 1 }]) // prettier-ignore
    expect(missing.connections).toEqual([
      { name: 'mailbox', kind: 'files', known: false, at: [{ file: 'a.yaml', line: 10 }, { file: 'b.yaml', line: 10 }] },
      { name: 'dw', kind: 'postgres', known: false, at: [{ file: 'a.yaml', line: 11 }, { file: 'b.yaml', line: 11 }] },
    ]) // prettier-ignore
    expect(missing.controls).toMatchObject([{ name: 'sources', columns: ['active', 'source', 'target'] }])
    expect(missing.values).toMatchObject([{ name: 'prefix', at: [{ file: 'a.yaml', line: 10 }, {}] }])
  })

  it('tell every mistake by document and line, and nothing is brought in', async () => {
    const documents = {
      'good.yaml': text('good'),
      'bad.yaml': 'mattock: job/1\nname: bad\ntitle: Bad\nparts:\n  - once:\n      - {id: a, sqll: {on: w, text: x}}\n      - {id: B, sql: {on: w}}',
      'worse.yaml': 'name: [',
      'again.yaml': text('good', '      - {id: b, sql: {on: drop, text: select 1}}'),
    } // prettier-ignore
    const { documents: checked } = await check(documents)
    expect(checked.map(({ file, faults }) => [file, faults.map(({ where }) => where.line)])).toEqual([
      ['good.yaml', []],
      ['bad.yaml', [6, 6, 7, 7]],
      ['worse.yaml', [1]],
      ['again.yaml', [3, 12]],
    ])
    expect(checked[3]!.faults.map(({ message }) => message)).toEqual([
      '"good" is the job of good.yaml, too; one of them needs another name',
      'drop is a file store here; this needs a database',
    ])
    expect(await faultsOf(bringIn(documents, all))).toHaveLength(7)
    await expect(readVersion(bench.engine, 'good')).rejects.toThrow('there is no job')
  })

  it('ask for all that is missing at once, each with its field', async () => {
    const faults = await faultsOf(
      bringIn({ 'a.yaml': text('alpha') }, { connections: { mailbox: { settings: { folder: ' ' } }, dw: { use: 'drop' } }, values: { prefix: '' } }),
    ) // prettier-ignore
    expect(faults.map(({ where }) => where.path)).toEqual([
      'connections.mailbox.folder',
      'connections.dw',
      'controls.sources',
      'values.prefix',
    ])
    expect(await bench.own(`select name from mattock.connection where name = 'mailbox'`)).toEqual([])
  })

  it('come in with what was missing, and can be planned at once', async () => {
    const { jobs } = await bringIn({ 'a.yaml': text('alpha'), 'b.yaml': text('beta') }, all)
    expect(jobs).toEqual([{ name: 'alpha', version: 1 }, { name: 'beta', version: 1 }]) // prettier-ignore
    // only the name of what stands for the missing connection was changed
    expect((await readVersion(bench.engine, 'alpha')).text).toBe(text('alpha').replace('connection: dw,', 'connection: warehouse,')) // prettier-ignore
    await bench.own(`insert into control.sources values ('corrie', true, 'flow')`)
    const { plan } = await makePlan(bench.engine, { job: 'alpha', environment: 'dev', parameters: {}, by: 'test' }) // prettier-ignore
    expect(plan.loads.map(({ resolved }) => resolved.map((one) => one?.text))).toEqual([
      ['mailbox', 'flow_corrie.csv', 'warehouse', 'raw.flow'],
    ])
    expect(plan.findings.filter(({ level }) => level === 'stop').map(({ code }) => code)).toEqual([])
  })

  it('are known when they come again, unchanged or changed', async () => {
    const now = (await readVersion(bench.engine, 'alpha')).text
    const { documents, missing } = await check({ 'a.yaml': now, 'b.yaml': now.replace('title: alpha', 'title: other').replace('name: alpha', 'name: beta') }) // prettier-ignore
    expect(documents.map(({ becomes }) => becomes)).toEqual([null, 2])
    expect([missing.connections, missing.controls, missing.values].flat()).toEqual([])
  })

  it('keep a secret sealed, and give it to nobody', async () => {
    await bringIn(
      { 'c.yaml': 'mattock: job/1\nname: gamma\ntitle: G\nparts: [{once: [{id: a, sql: {on: far, text: select 1}}]}]' },
      { connections: { far: { settings: { host: 'h', port: 5432, database: 'd', user: 'u' }, secret: 'hush-hush' } } },
    ) // prettier-ignore
    const [row] = await bench.own(`select settings::text, encode(secret, 'escape') as secret from mattock.connection_setting where connection = 'far'`) // prettier-ignore
    expect(row!.settings).not.toContain('hush')
    expect(row!.secret).not.toContain('hush')
  })
})
