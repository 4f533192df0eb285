import { execFileSync } from 'node:child_process'
import { chmodSync, mkdtempSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import type { TestProject } from 'vitest/node'
import { startPostgres } from '../../cli/postgres'
import { removeFolder } from './folder'

/** One Postgres server for all tests of a run, in a folder that is thrown away. */
export default async function setup(project: TestProject) {
  // for the tests that lay faults: once, so that none is built anew under another's feet
  execFileSync(process.execPath, ['build.mjs', '--faults'], { cwd: join(import.meta.dirname, '../..') })
  const folder = mkdtempSync(join(tmpdir(), 'mattock-test-'))
  chmodSync(folder, 0o755)
  const server = await startPostgres(join(folder, 'pg'), { fsync: 'off' })
  project.provide('cluster', server.url('postgres'))
  return async () => {
    await server.stop()
    await removeFolder(folder)
  }
}

declare module 'vitest' {
  interface ProvidedContext {
    cluster: string
  }
}
