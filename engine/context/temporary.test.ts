import type * as Fs from 'node:fs'
import { existsSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { afterAll, expect, it, vi } from 'vitest'
import { newFolder, removeTemporary, temporaryRoot } from './temporary'

const fails = vi.hoisted(() => ({ now: false }))
vi.mock('node:fs', async (original) => {
  const fs = await original<typeof Fs>()
  return {
    ...fs,
    rmSync: (...given: Parameters<typeof fs.rmSync>) => {
      if (fails.now) throw Object.assign(new Error('ENOTEMPTY: directory not empty'), { code: 'ENOTEMPTY' })
      fs.rmSync(...given)
    },
  }
})
afterAll(removeTemporary)

it('goes with all that is in it, and is made anew where it is needed', async () => {
  const first = await newFolder('work')
  writeFileSync(join(first, 'a'), '')
  removeTemporary()
  expect(existsSync(first)).toBe(false)
  const again = await newFolder('work')
  expect(existsSync(again)).toBe(true)
})

it('keeps no process from ending where it cannot be taken away', () => {
  temporaryRoot()
  fails.now = true
  expect(() => removeTemporary()).not.toThrow()
  fails.now = false
})
