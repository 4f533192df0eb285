import { spawnSync } from 'node:child_process'
import { existsSync, mkdtempSync, openSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { describe, expect, it } from 'vitest'
import { build } from 'esbuild'

// /dev/full (Linux): every write to it fails as on a full disk
describe.skipIf(!existsSync('/dev/full'))('a log on a full disk', () => {
  it('does not end who writes it', async () => {
    const entry = `
      import { tell, writeOnAtAllCosts } from './tell'
      import { openLog } from './logger'
      writeOnAtAllCosts()
      tell('a line')
      openLog('test').error('a line')
      process.stderr.write('a line')
      console.error('a line')
      process.stdout.write('it goes on', () => setTimeout(() => process.exit(7), 50))
    `
    const folder = mkdtempSync(join(tmpdir(), 'mattock-tell-'))
    const outfile = join(folder, 'tell.cjs')
    await build({
      stdin: { contents: entry, resolveDir: import.meta.dirname, loader: 'ts' },
      bundle: true,
      outfile,
      platform: 'node',
      format: 'cjs',
    })
    const full = openSync('/dev/full', 'w')
    const ran = spawnSync(process.execPath, [outfile], {
      cwd: join(import.meta.dirname, '../..'),
      stdio: ['ignore', 'pipe', full],
    })
    rmSync(folder, { recursive: true })
    expect({ said: ran.stdout.toString(), status: ran.status }).toEqual({ said: 'it goes on', status: 7 })
  })
})
