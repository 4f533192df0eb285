import type * as Fs from 'node:fs'
import { existsSync, mkdtempSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { expect, it, vi } from 'vitest'
import { removeFolder } from './support/folder'

/** How many times the system says that the folder is not empty, since somebody laid a file into it meanwhile. */
const laid = vi.hoisted(() => ({ times: 0 }))
vi.mock('node:fs', async (original) => {
  const fs = await original<typeof Fs>()
  return {
    ...fs,
    rmSync: (...given: Parameters<typeof fs.rmSync>) => {
      if (laid.times-- > 0) throw Object.assign(new Error('ENOTEMPTY: directory not empty'), { code: 'ENOTEMPTY' })
      fs.rmSync(...given)
    },
  }
}) // prettier-ignore

it('takes a folder away into which what ends still lays files', async () => {
  const folder = mkdtempSync(join(tmpdir(), 'mattock-tidy-'))
  writeFileSync(join(folder, 'a'), '')
  laid.times = 2
  await removeFolder(folder)
  expect(laid.times).toBe(-1)
  expect(existsSync(folder)).toBe(false)
})
