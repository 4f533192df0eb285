import { readFileSync } from 'node:fs'
import { join } from 'node:path'
import { gzipSync } from 'node:zlib'
import { expect, it } from 'vitest'

const pages = join(import.meta.dirname, '../dist/web')

it('before any place is opened, the pages fetch 350 kB of JavaScript at most', () => {
  const scripts = [
    ...readFileSync(join(pages, 'index.html'), 'utf8').matchAll(/(?:src|href)="\/(assets\/[^"]+\.js)"/g),
  ]
  expect(scripts.length).toBeGreaterThan(0)
  const bytes = scripts.reduce((sum, [, path]) => sum + gzipSync(readFileSync(join(pages, path!))).length, 0)
  expect(bytes).toBeLessThan(350_000)
})
