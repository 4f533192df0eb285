import { mkdirSync, mkdtempSync, rmSync, symlinkSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { dirname, join } from 'node:path'
import fc from 'fast-check'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { folderEntries } from './entries'
import { walk } from './walk'
import { insideStore, Lister, storeSteps, type FileStore, openStore } from './store'

let outer: string
let store: FileStore
const put = (path: string, text = 'x') => {
  const full = join(store.root, path)
  mkdirSync(dirname(full), { recursive: true })
  writeFileSync(full, text)
}
const paths = async (pattern: string) => (await new Lister(store).find(pattern)).map(({ path }) => path)
const deep = async (pattern: string) => (await new Lister(store).findDeep(pattern)).map(({ path }) => path)

beforeAll(() => {
  outer = mkdtempSync(join(tmpdir(), 'mattock-store-'))
  store = openStore('drop', join(outer, 'store'))
  mkdirSync(store.root)
  writeFileSync(join(outer, 'secret.csv'), 'secret')
  for (const path of [
    'a.csv',
    'b.csv',
    'north/a.csv',
    'north/2026/a.csv',
    'south/a.csv',
    '.hidden.csv',
    '.git/a.csv',
    'odd [1] {x}.csv',
    'stars *.csv',
    'it’s "here".csv',
    'line\nbreak.csv',
  ])
    put(path)
  symlinkSync(join(outer, 'secret.csv'), join(store.root, 'leak.csv'))
  symlinkSync(join(store.root, 'a.csv'), join(store.root, 'same.csv'))
  symlinkSync(outer, join(store.root, 'out'))
})
afterAll(() => rmSync(outer, { recursive: true, force: true }))

describe('files of a store', () => {
  it('are found by their names, wildcards for one folder only', async () => {
    expect(await paths('a.csv')).toEqual(['a.csv'])
    expect(await paths('?.csv')).toEqual(['a.csv', 'b.csv'])
    expect(await paths('*/a.csv')).toEqual(['north/a.csv', 'south/a.csv'])
    expect(await paths('north/*/a.csv')).toEqual(['north/2026/a.csv'])
    expect(await paths('nowhere/*.csv')).toEqual([])
  })

  it('are found at any depth where that is asked', async () => {
    expect(await deep('a.csv')).toEqual(['a.csv', 'north/2026/a.csv', 'north/a.csv', 'south/a.csv'])
    expect(await deep('north/a.csv')).toEqual(['north/2026/a.csv', 'north/a.csv'])
  })

  it('have any name that the disk allows', async () => {
    expect(await paths('it’s "here".csv')).toEqual(['it’s "here".csv'])
    expect(await paths('line\nbreak.csv')).toEqual(['line\nbreak.csv'])
    expect(await paths('line?break.csv')).toEqual(['line\nbreak.csv'])
  })

  it('are not hidden ones, unless by name', async () => {
    expect(await paths('?hidden.csv')).toEqual([])
    expect(await paths('*/a.csv')).not.toContain('.git/a.csv')
    expect(await paths('.hidden.csv')).toEqual(['.hidden.csv'])
  })

  it('are those within, and no link leads out', async () => {
    await expect(paths('leak.csv')).rejects.toThrow(/leads out of|outside/)
    expect(await paths('same.csv')).toEqual(['same.csv'])
    await expect(insideStore(store, 'out/secret.csv')).rejects.toThrow()
    for (const path of ['../secret.csv', 'north/../../secret.csv', '/etc/passwd', 'north/..//../secret.csv'])
      await expect(insideStore(store, path)).rejects.toThrow()
    expect(await insideStore(store, 'north/a.csv')).toBe(join(store.root, 'north/a.csv'))
  })

  it('that cannot be read are told to whoever asks for them, and are not here for who waits', async () => {
    writeFileSync(Buffer.concat([Buffer.from(join(store.root, 'odd_')), Buffer.from([0xff, 0xfe]), Buffer.from('.txt')]), 'x')
    await expect(paths('odd_*.txt')).rejects.toThrow('its name is not in UTF-8')
    const many = await new Lister(store).findMany(['odd_*.txt', 'leak.csv', 'a.csv'], 4)
    expect(Object.fromEntries([...many].map(([pattern, [fact]]) => [pattern, fact?.outside]))).toEqual({
      'odd_*.txt': expect.stringContaining('its name is not in UTF-8'),
      'leak.csv': expect.stringContaining('leads out of the store'),
      'a.csv': undefined,
    })
    const here = await new Lister(store).findHere(['odd_*.txt', 'leak.csv', 'a.csv'], 4)
    expect(Object.fromEntries([...here].map(([pattern, facts]) => [pattern, facts.length]))).toEqual({ 'odd_*.txt': 0, 'leak.csv': 0, 'a.csv': 1 })
    // whoever looks what lies about is not kept from it: a folder that a link leads to, a link, a name
    expect((await new Lister(store).findAny('*')).map(({ path }) => path)).toEqual(expect.arrayContaining(['a.csv', 'same.csv']))
    expect((await new Lister(store).findAny('*')).map(({ path }) => path)).not.toEqual(expect.arrayContaining(['leak.csv']))
    // one that is gone between two looks is no such name
    expect(await paths('gone_*.txt')).toEqual([])
    const { files, strays } = await walk(store, { include: [], exclude: [], prefix: '' }, new AbortController().signal)
    expect(files.map(({ path }) => path)).toContain('north/2026/a.csv')
    expect(strays).toContainEqual({ path: 'odd_\ufffd\ufffd.txt', reason: expect.stringContaining('not in UTF-8') })
    rmSync(Buffer.concat([Buffer.from(join(store.root, 'odd_')), Buffer.from([0xff, 0xfe]), Buffer.from('.txt')]))
  }) // prettier-ignore

  it('that are asked for together are what each alone is', async () => {
    const names = fc.constantFrom(
      'a.csv',
      'b.csv',
      'north/a.csv',
      'c.csv',
      '*.csv',
      'south/*.csv',
      'nowhere/x.csv',
    )
    await fc.assert(
      fc.asyncProperty(fc.uniqueArray(names, { minLength: 1 }), async (patterns) => {
        const safe = patterns.filter((pattern) => pattern !== '*.csv')
        const together = await new Lister(store).findMany(safe, 4)
        for (const pattern of safe)
          expect(together.get(pattern) ?? []).toEqual(await new Lister(store).find(pattern))
      }),
      { numRuns: 30 },
    )
  })

  it('are looked for in a list of their folder where there are many', async () => {
    const patterns = Array.from({ length: 200 }, (_, i) => `north/${i}.csv`)
    const found = await new Lister(store).findMany([...patterns, 'north/a.csv'], 8)
    expect([...found].filter(([, facts]) => facts.length > 0).map(([pattern]) => pattern)).toEqual([
      'north/a.csv',
    ])
  })

  it('carry their size and time', async () => {
    put('sized.csv', 'twelve bytes')
    const [fact] = await new Lister(store).find('sized.csv')
    expect(fact).toMatchObject({ path: 'sized.csv', size: 12 })
    expect(Date.parse(fact!.modified)).toBeGreaterThan(Date.now() - 60_000)
  })
})

describe('what lies in a folder', () => {
  it('is folders before files, hidden ones left out', async () => {
    const entries = await folderEntries(store, '')
    const kinds = entries.map(({ kind }) => kind)
    expect(kinds.lastIndexOf('folder')).toBeLessThan(kinds.indexOf('file'))
    expect(entries.map(({ name }) => name)).not.toContain('.git')
    expect((await folderEntries(store, 'north')).map(({ path }) => path)).toEqual([
      'north/2026',
      'north/a.csv',
    ])
  })

  it('is told where it cannot be', async () => {
    await expect(folderEntries(store, 'nowhere')).rejects.toThrow()
    await expect(folderEntries(store, 'a.csv')).rejects.toThrow()
    await expect(folderEntries(store, '..')).rejects.toThrow()
  })
})

describe('the test of a store', () => {
  it('counts what is in it, and names a folder that is not there', async () => {
    expect((await storeSteps(store)).files).toBeGreaterThan(5)
    await expect(storeSteps(openStore('gone', join(outer, 'gone')))).rejects.toThrow(/gone/)
  })
})
