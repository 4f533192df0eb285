import { execFileSync } from 'node:child_process'
import { createHash } from 'node:crypto'
import { existsSync, mkdirSync, readdirSync, readFileSync, rmSync, symlinkSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { gzipSync } from 'node:zlib'
import fc from 'fast-check'
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest'
import { saveSettings } from '../engine/connectors/connections'
import { makePlan } from '../engine/planning/plan'
import { saveJob } from '../engine/jobs/versions'
import { rerun } from '../engine/running/runs'
import { readPlan } from '../engine/planning/stored'
import type { FileRecord } from '../database/schema'
import { testBench, type TestBench } from './support/bench'

// Files that are copied, moved, deleted, packed and unpacked, on real stores. What is packed is read by Debian's unzip,
// tar and gzip, and what those pack is unpacked.

let bench: TestBench
let shelf = ''
beforeAll(async () => {
  bench = await testBench()
  shelf = join(bench.folder, 'stores', 'shelf')
  mkdirSync(shelf)
  await bench.own(`insert into mattock.connection (name, kind, title) values ('shelf', 'files', 'Shelf')`)
  await saveSettings(bench.engine, 'shelf', 'dev', { settings: { folder: shelf } }, 'test')
  await bench.rows('create table public.taken (id int)')
  await bench.worker(4)
})
afterAll(() => bench.close())
beforeEach(() => {
  for (const root of [bench.drop, shelf])
    for (const name of readdirSync(root)) rmSync(join(root, name), { recursive: true, force: true })
})

let jobs = 0
const steps = (...list: string[]) => `
mattock: job/1
name: files-${++jobs}
title: Files
parts:
  - once:
${list.map((step) => `      - ${step}\n`).join('')}`
const work = (id: string, text: string) => `{id: ${id}, files: {${text}}}`
const from = (files: string) => `from: {store: drop, files: '${files}'}`
const toShelf = (folder?: string) =>
  `into: {store: shelf${folder === undefined ? '' : `, folder: '${folder}'`}}`
const loaded = (files: string) =>
  `{id: bring-in, transfer: {from: {store: drop, files: '${files}'}, into: {connection: warehouse, table: public.taken, write: append}}}`

/** Every file below a folder with its text, those that are on the way too. */
function tree(root: string): Record<string, string> {
  const found = readdirSync(root, { withFileTypes: true, recursive: true })
  return Object.fromEntries(
    found
      .filter((entry) => !entry.isDirectory())
      .map((entry) => [join(entry.parentPath, entry.name).slice(root.length + 1), readFileSync(join(entry.parentPath, entry.name), 'utf8')] as const)
      .sort(([a], [b]) => (a < b ? -1 : 1)),
  )
} // prettier-ignore

/** Runs a job; returns what became of it, its files by path, and the first fault. */
async function run(document: string, step?: string) {
  const id = await bench.load(document)
  return { id, ...(await outcome(id, step)) }
}
async function outcome(id: number, step?: string) {
  const rows = await bench.own(
    `select s.step, s.files, s.log, l.state, l.error from mattock.load l left join mattock.load_step s on s.load_id = l.id where l.run_id = $1 order by l.number, s.position`,
    [id],
  )
  const of = rows.filter((row) => step === undefined || row.step === step)
  const files = of.flatMap((row) => (row.files ?? []) as FileRecord[])
  return {
    state: rows.some((row) => row.state === 'failed') ? 'failed' : (rows[0]!.state as string),
    error: rows.map((row) => row.error).find(Boolean) as { code: string; message: string; effect: string } | undefined,
    files: Object.fromEntries(files.map(({ path, did, why }) => [path, why ? `${did}: ${why}` : did])),
    records: files,
    log: of.flatMap((row) => (row.log ?? []) as string[]),
  }
} // prettier-ignore

describe('copying', () => {
  it('brings every file that matches, with its checksum, and says what is there already', async () => {
    bench.writeFile('a.csv', 'id\n1\n')
    bench.writeFile('b.csv', '')
    bench.writeFile('other.txt', 'x')
    const document = steps(work('copy', `do: copy, ${from('*.csv')}, ${toShelf('kept/here')}`))
    const first = await run(document)
    expect(first).toMatchObject({ state: 'done', files: { 'a.csv': 'copied', 'b.csv': 'copied' } })
    expect(first.records[0]).toMatchObject({
      store: 'drop',
      size: 5,
      sha256: createHash('sha256').update('id\n1\n').digest('hex'),
      at: { store: 'shelf', path: 'kept/here/a.csv' },
    })
    expect(tree(shelf)).toEqual({ 'kept/here/a.csv': 'id\n1\n', 'kept/here/b.csv': '' })
    expect((await run(document)).files).toEqual({ 'a.csv': 'same', 'b.csv': 'same' })
  })

  it('fails before anything is copied where a name is taken by other content, or twice', async () => {
    bench.writeFile('a.csv', 'new')
    bench.writeFile('b.csv', 'new')
    writeFileSync(join(shelf, 'b.csv'), 'old')
    const taken = await run(steps(work('copy', `do: copy, ${from('*.csv')}, ${toShelf()}`)))
    expect(taken).toMatchObject({
      state: 'failed',
      error: { code: 'file-exists', message: 'b.csv is there with other content', effect: 'nothing was written' },
    }) // prettier-ignore
    expect(tree(shelf)).toEqual({ 'b.csv': 'old' })
    const replaced = await run(
      steps(work('copy', `do: copy, ${from('*.csv')}, ${toShelf()}, exists: replace`)),
    )
    expect(replaced.state).toBe('done')
    expect(tree(shelf)).toEqual({ 'a.csv': 'new', 'b.csv': 'new' })
    bench.writeFile('north/c.csv', '1')
    bench.writeFile('south/c.csv', '2')
    const twice = await run(steps(work('copy', `do: copy, ${from('*/c.csv')}, ${toShelf()}`)))
    expect(twice.error).toMatchObject({ code: 'same-name' })
    expect(twice.error!.message).toBe('north/c.csv and south/c.csv would both be called c.csv')
    const apart = await run(
      steps(work('copy', `do: copy, ${from('*/c.csv')}, ${toShelf()}, keep_folders: true`)),
    )
    expect(apart.state).toBe('done')
    expect(tree(shelf)).toMatchObject({ 'north/c.csv': '1', 'south/c.csv': '2' })
  })

  it('never onto itself, nor through a link out of the store', async () => {
    bench.writeFile('a.csv', 'x')
    const self = await run(
      steps(work('copy', `do: copy, ${from('a.csv')}, into: {store: drop}, exists: replace`)),
    )
    expect(self.error).toMatchObject({ code: 'same-file' })
    symlinkSync(bench.folder, join(shelf, 'out'))
    const out = await run(steps(work('copy', `do: copy, ${from('a.csv')}, ${toShelf('out')}`)))
    expect(out.state).toBe('failed')
    expect(out.error!.message).toContain('leads out of the store')
    const above = await run(steps(work('copy', `do: copy, ${from('a.csv')}, ${toShelf('../x')}`))).catch((error: Error) => error) // prettier-ignore
    expect(JSON.stringify(above)).not.toContain('"done"')
    expect(existsSync(join(bench.folder, 'a.csv'))).toBe(false)
  })

  it.each([
    ['fail', 'failed'],
    ['skip', 'skipped'],
    ['go-on', 'done'],
  ])('where no file matches: missing: %s', async (missing, state) => {
    const none = await run(
      steps(work('copy', `do: copy, ${from('none*.csv')}, ${toShelf()}, missing: ${missing}`)),
    )
    expect(none.state).toBe(state)
  })

  it('of any content and any name is byte for byte the same', async () => {
    const name = fc.string({ minLength: 1, maxLength: 30, unit: 'grapheme' }).filter((text) => !/[/\0]|^\.|\uFFFD|[\uD800-\uDFFF](?![\uDC00-\uDFFF])/.test(text) && Buffer.byteLength(text) < 200) // prettier-ignore
    await fc.assert(
      fc.asyncProperty(fc.uniqueArray(fc.tuple(name, fc.uint8Array({ maxLength: 5000 })), { selector: ([text]) => text, minLength: 1, maxLength: 8 }), async (files) => {
        rmSync(join(bench.drop, 'any'), { recursive: true, force: true })
        rmSync(join(shelf, 'any'), { recursive: true, force: true })
        for (const [file, bytes] of files) bench.writeFile(`any/${file}`, Buffer.from(bytes))
        const done = await run(steps(work('copy', `do: copy, ${from('any/*')}, ${toShelf('any')}`)))
        expect(done.error).toBe(undefined)
        for (const [file, bytes] of files)
          expect(readFileSync(join(shelf, 'any', file)).equals(Buffer.from(bytes))).toBe(true)
      }),
      { numRuns: 8 },
    ) // prettier-ignore
  })
})

describe('what takes files away', () => {
  it('deletes only what the named steps covered, and tells what stays and why', async () => {
    for (const name of ['a', 'b', 'c']) bench.writeFile(`${name}.csv`, `id\n${name.charCodeAt(0)}\n`)
    const cleared = await run(
      steps(
        loaded('a.csv'),
        work('keep', `do: copy, ${from('[ab].csv'.replace('[ab]', '?'))}, ${toShelf()}`),
        // another lands while the run goes on, and one is sent again
        work('clear', `do: delete, ${from('*.csv')}, covered_by: [bring-in, keep]`),
      ),
      'clear',
    )
    expect(cleared.state).toBe('done')
    expect(cleared.files).toEqual({
      'a.csv': 'deleted',
      'b.csv': 'left: not covered by bring-in',
      'c.csv': 'left: not covered by bring-in',
    })
    expect(cleared.log.join('\n')).toContain('not covered by bring-in: b.csv, c.csv')
    expect(Object.keys(tree(bench.drop))).toEqual(['b.csv', 'c.csv'])
  })

  it('leaves what changed since it was covered, whatever its size and time say', async () => {
    bench.writeFile('a.csv', 'id\n1\n')
    // the step between ends when we have changed the file
    const held = await bench.warehouse.connect()
    await held.query('select pg_advisory_lock(7011)')
    await bench.rows('create or replace function public.wait() returns void language sql as $$ select pg_advisory_xact_lock(7011) $$') // prettier-ignore
    const running = run(
      steps(
        work('keep', `do: copy, ${from('a.csv')}, ${toShelf()}`),
        `{id: wait, sql: {on: warehouse, text: 'select public.wait()'}}`,
        work('clear', `do: delete, ${from('a.csv')}, covered_by: [keep]`),
      ),
      'clear',
    )
    const { statSync, utimesSync } = await import('node:fs')
    const { mtime } = statSync(join(bench.drop, 'a.csv'))
    const waits = async () =>
      (
        await bench.rows(
          `select 1 from pg_locks where locktype = 'advisory' and objid = 7011 and not granted`,
        )
      ).length
    await expect.poll(waits).toBe(1)
    bench.writeFile('a.csv', 'id\n2\n')
    utimesSync(join(bench.drop, 'a.csv'), mtime, mtime)
    await held.query('select pg_advisory_unlock(7011)')
    held.release()
    expect((await running).files).toEqual({ 'a.csv': 'left: changed since keep had it' })
    expect(tree(bench.drop)).toEqual({ 'a.csv': 'id\n2\n' })
  })

  it('moves what is covered, and nothing else', async () => {
    bench.writeFile('a.csv', 'id\n1\n')
    bench.writeFile('b.csv', 'id\n2\n')
    const moved = await run(
      steps(loaded('a.csv'), work('move', `do: move, ${from('*.csv')}, ${toShelf('done')}, covered_by: [bring-in]`)),
      'move',
    ) // prettier-ignore
    expect(moved.files).toEqual({ 'a.csv': 'moved', 'b.csv': 'left: not covered by bring-in' })
    expect(tree(bench.drop)).toEqual({ 'b.csv': 'id\n2\n' })
    expect(tree(shelf)).toEqual({ 'done/a.csv': 'id\n1\n' })
  })

  it('takes a link away, and not what it leads to', async () => {
    bench.writeFile('real.txt', 'x')
    symlinkSync(join(bench.drop, 'real.txt'), join(bench.drop, 'link.csv'))
    const cleared = await run(
      steps(
        work('keep', `do: copy, ${from('*.csv')}, ${toShelf()}`),
        work('clear', `do: delete, ${from('*.csv')}, covered_by: [keep]`),
      ),
      'clear',
    )
    expect(cleared.files).toEqual({ 'link.csv': 'deleted' })
    expect(readdirSync(bench.drop)).toEqual(['real.txt'])
  })

  it('of which several take away the same does it once', async () => {
    for (let i = 0; i < 30; i++) bench.writeFile(`all/${i}.txt`, `${i}`)
    const id = await bench.load(`
mattock: job/1
name: both
title: Both
parts:
  - once:
      - {id: keep, files: {do: copy, from: {store: drop, files: 'all/*'}, into: {store: shelf}}}
  - each: {roster: {rows: [{n: 1}, {n: 2}, {n: 3}]}, at_once: 3}
    do:
      - {id: clear, files: {do: delete, from: {store: drop, files: 'all/*'}, covered_by: [keep], missing: go-on}}
      - {id: tell, log: {text: '{row.n}'}}
`)
    const { error, records } = await outcome(id, 'clear')
    expect(error).toBe(undefined)
    expect(records.filter(({ did }) => did === 'deleted')).toHaveLength(30)
    expect(tree(bench.drop)).toEqual({})
  })

  it('goes by what an earlier run of the same loads covered, where it is run again', async () => {
    bench.writeFile('a.csv', 'id\n1\n')
    bench.writeFile('b.csv', 'id\nnot a number\n')
    const id = await bench.load(`
mattock: job/1
name: again
title: Again
parts:
  - each: {roster: {rows: [{file: a}, {file: b}]}}
    do:
      - {id: bring-in, transfer: {from: {store: drop, files: '{row.file}.csv'}, into: {connection: warehouse, table: public.taken, write: append}}}
  - once:
      - {id: clear, files: {do: delete, from: {store: drop, files: '*.csv'}, covered_by: [bring-in]}}
`)
    expect(Object.keys(tree(bench.drop))).toEqual(['a.csv', 'b.csv'])
    bench.writeFile('b.csv', 'id\n2\n')
    const again = await rerun(bench.engine, id, { by: 'test' })
    await bench.ended(again)
    expect((await outcome(again, 'clear')).files).toEqual({ 'a.csv': 'deleted', 'b.csv': 'deleted' })
  })

  it('is found to be wrong beforehand: no such step, one that covers nothing, one that comes later', async () => {
    bench.writeFile('a.csv', 'id\n1\n')
    const findings = async (...list: string[]) => {
      const { job } = await saveJob(bench.engine, steps(...list), { by: 'test' })
      const { id } = await makePlan(bench.engine, { job, environment: 'dev', parameters: {}, by: 'test' })
      const { findings } = await readPlan(bench.engine, id)
      return findings.map(({ code, level, message }) => `${level} ${code}: ${message}`)
    }
    const clear = (by: string) => work('clear', `do: delete, ${from('*.csv')}, covered_by: [${by}]`)
    expect(await findings(loaded('a.csv'), clear('brin-in'))).toContain('stop unknown-name: there is no step brin-in; did you mean bring-in?') // prettier-ignore
    expect(await findings(`{id: tell, log: {text: x}}`, clear('tell'))).toContain('stop cleared-too-early: tell neither loads files nor copies them, so nothing that clear takes away is covered by it') // prettier-ignore
    expect(await findings(work('keep', `do: copy, ${from('a.csv')}, ${toShelf()}`), clear('keep'), loaded('a.csv'))).toContain('stop cleared-too-early: clear takes away a.csv, which bring-in needs, too, and may not have had by then') // prettier-ignore
    expect(await findings(loaded('a.csv'), work('keep', `do: copy, ${from('a.csv')}, ${toShelf()}`), clear('keep'))).toContain('look cleared-too-early: clear takes away a.csv also where bring-in, which needs it, too, did not come to its end; name bring-in among those that cover it') // prettier-ignore
    expect(await findings(loaded('a.csv'), clear('bring-in'))).toEqual([])
  })
})

describe('packing', () => {
  const read: [string, (archive: string, into: string) => void][] = [
    ['zip', (archive, into) => execFileSync('unzip', ['-q', archive, '-d', into])],
    ['tar.gz', (archive, into) => execFileSync('tar', ['-xzf', archive, '-C', into])],
  ]
  const texts = { 'a.csv': 'id\n1\n', 'ü ñ 水.csv': 'x'.repeat(200_000), [`${'long'.repeat(40)}.csv`]: '' }

  it.each(read)('into %s is read back by Debian’s tools, byte for byte', async (ending, unpack) => {
    for (const [name, text] of Object.entries(texts)) bench.writeFile(`in/${name}`, text)
    const document = steps(work('pack', `do: pack, ${from('in/*.csv')}, into: {store: shelf, file: 'a/all.${ending}'}`)) // prettier-ignore
    const packed = await run(document)
    expect(packed.error).toBe(undefined)
    expect(Object.values(packed.files)).toEqual(['packed', 'packed', 'packed'])
    const out = join(bench.folder, `out-${ending}`)
    mkdirSync(out)
    unpack(join(shelf, `a/all.${ending}`), out)
    expect(tree(out)).toEqual(tree(join(bench.drop, 'in')))
    expect(readdirSync(join(shelf, 'a'))).toEqual([`all.${ending}`])
    // the same again is there already; other content is not put over it
    expect(Object.values((await run(document)).files)).toEqual(['same', 'same', 'same'])
    bench.writeFile('in/a.csv', 'id\n2\n')
    expect((await run(document)).error).toMatchObject({ code: 'file-exists' })
  })

  it('one file into gz, and several not', async () => {
    bench.writeFile('a.csv', 'id\n1\n')
    const pack = (name: string) =>
      steps(work('pack', `do: pack, ${from('*.csv')}, into: {store: shelf, file: '${name}'}`))
    expect((await run(pack('a.csv.gz'))).state).toBe('done')
    expect(execFileSync('gzip', ['-dc', join(shelf, 'a.csv.gz')]).toString()).toBe('id\n1\n')
    bench.writeFile('b.csv', 'x')
    expect((await run(pack('b.gz'))).error).toMatchObject({ code: 'archive', message: '.gz holds one file, and 2 match' }) // prettier-ignore
    expect((await run(pack('b.rar'))).error!.message).toContain('does not end like an archive')
  })

  it('covers what may be deleted afterwards', async () => {
    bench.writeFile('a.csv', 'id\n1\n')
    const cleared = await run(
      steps(
        work('pack', `do: pack, ${from('*.csv')}, into: {store: shelf, file: all.zip}`),
        work('clear', `do: delete, ${from('*.csv')}, covered_by: [pack]`),
      ),
      'clear',
    )
    expect(cleared.files).toEqual({ 'a.csv': 'deleted' })
  })
})

describe('unpacking', () => {
  const unpack = (files: string, more = '') =>
    steps(work('unpack', `do: unpack, ${from(files)}, ${toShelf('out')}${more}`))
  const source = () => {
    const folder = join(bench.folder, `made-${++jobs}`)
    mkdirSync(join(folder, 'north'), { recursive: true })
    writeFileSync(join(folder, 'a.csv'), 'id\n1\n')
    writeFileSync(join(folder, 'north/ü.csv'), 'y'.repeat(300_000))
    return folder
  }

  it.each([
    ['all.zip', (folder: string, to: string) => execFileSync('zip', ['-qr', to, '.'], { cwd: folder })],
    ['all.tar.gz', (folder: string, to: string) => execFileSync('tar', ['-czf', to, '.'], { cwd: folder })],
    ['all.tgz', (folder: string, to: string) => execFileSync('tar', ['-czf', to, '--format=gnu', '.'], { cwd: folder })],
  ] as const)('%s, as Debian’s tools made it', async (name, make) => {
    const folder = source()
    make(folder, join(bench.drop, name))
    const done = await run(unpack(name, ', keep_folders: true'))
    expect(done.error).toBe(undefined)
    expect(tree(join(shelf, 'out'))).toEqual(tree(folder))
    expect(done.files).toEqual({ 'out/a.csv': 'unpacked', 'out/north/ü.csv': 'unpacked' })
    expect(Object.values((await run(unpack(name, ', keep_folders: true'))).files)).toEqual(['same', 'same'])
    rmSync(join(shelf, 'out'), { recursive: true })
    await run(unpack(name))
    expect(Object.keys(tree(join(shelf, 'out')))).toEqual(['a.csv', 'ü.csv'])
  }) // prettier-ignore

  it('what is broken off or damaged leaves nothing', async () => {
    const folder = source()
    execFileSync('zip', ['-qr0', join(bench.drop, 'whole.zip'), '.'], { cwd: folder })
    execFileSync('tar', ['-czf', join(bench.drop, 'whole.tar.gz'), '.'], { cwd: folder })
    const zip = readFileSync(join(bench.drop, 'whole.zip'))
    const tar = readFileSync(join(bench.drop, 'whole.tar.gz'))
    const plainTar = execFileSync('tar', ['-cf', '-', '.'], { cwd: folder, maxBuffer: 1e8 })
    const bent = Buffer.from(zip)
    bent[bent.indexOf('yyyy') + 100_000] = 0x7a
    for (const [name, bytes] of [
      ['short.zip', zip.subarray(0, zip.length - 100)],
      ['bent.zip', bent],
      ['short.tar.gz', tar.subarray(0, tar.length - 100)],
      // the packing is whole, and what was packed is not
      ['inner.tar.gz', gzipSync(plainTar.subarray(0, plainTar.length - 60_000))],
      ['no.zip', Buffer.from('this is no archive')],
      ['no.tar.gz', gzipSync(Buffer.from('this is no archive'.repeat(100)))],
      ['short.gz', gzipSync(Buffer.alloc(100_000, 'ab')).subarray(0, 90)],
    ] as const) {
      bench.writeFile(name, bytes)
      const done = await run(unpack(name, ', keep_folders: true'))
      expect([name, done.state, done.error?.code]).toEqual([name, 'failed', 'archive'])
      expect(existsSync(join(shelf, 'out')) ? tree(join(shelf, 'out')) : {}).toEqual({})
    }
  })

  it('never leads out of its folder', async () => {
    const folder = source()
    execFileSync('tar', ['-czf', join(bench.drop, 'up.tar.gz'), '-P', '--transform', 's,a.csv,../../a.csv,', 'a.csv'], { cwd: folder }) // prettier-ignore
    symlinkSync('/etc/passwd', join(folder, 'link'))
    execFileSync('tar', ['-czf', join(bench.drop, 'link.tar.gz'), 'link'], { cwd: folder })
    execFileSync('zip', ['-qy', join(bench.drop, 'link.zip'), 'link'], { cwd: folder })
    const { default: yazl } = await import('yazl')
    const made = new yazl.ZipFile()
    made.addBuffer(Buffer.from('x'), 'xx/a.csv')
    made.end()
    const chunks: Buffer[] = []
    for await (const chunk of made.outputStream) chunks.push(chunk as Buffer)
    bench.writeFile('up.zip', Buffer.from(Buffer.concat(chunks).toString('latin1').replaceAll('xx/a.csv', '../a.csv'), 'latin1')) // prettier-ignore
    for (const name of ['up.tar.gz', 'link.tar.gz', 'link.zip', 'up.zip']) {
      const done = await run(unpack(name, ', keep_folders: true'))
      expect([name, done.error?.code]).toEqual([name, 'archive'])
    }
    expect(tree(shelf)).toEqual({})
  })

  it('refuses what becomes far more than it was', async () => {
    bench.writeFile('bomb.csv.gz', gzipSync(Buffer.alloc(200 * 2 ** 20), { level: 9 }))
    const done = await run(unpack('bomb.csv.gz'))
    expect(done.error).toMatchObject({ code: 'archive' })
    expect(done.error!.message).toContain('MATTOCK_UNPACKED_TIMES')
    expect(tree(shelf)).toEqual({})
  })
})
