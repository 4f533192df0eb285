import { spawn } from 'node:child_process'
import { existsSync, mkdtempSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { expect, it } from 'vitest'
import { removeFolder } from './support/folder'
import { end } from './support/processes'

it('takes a folder away into which a process that ends still lays files', async () => {
  const folder = mkdtempSync(join(tmpdir(), 'mattock-tidy-'))
  const lays = `
    const { mkdirSync, writeFileSync } = require('node:fs')
    const until = Date.now() + 1500
    for (let i = 0; Date.now() < until; i++) {
      mkdirSync('${folder}/deep/er', { recursive: true })
      writeFileSync('${folder}/deep/er/' + (i % 100), '')
      if (i === 0) process.send('begun')
    }`
  const child = spawn(process.execPath, ['-e', lays], { stdio: ['ignore', 'ignore', 'ignore', 'ipc'] })
  await new Promise((resolve) => child.once('message', resolve))
  const away = removeFolder(folder)
  await end(child)
  await away
  expect(existsSync(folder)).toBe(false)
})
