import { mkdtempSync, rmSync } from 'node:fs'
import { connect } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { readFile } from 'node:fs/promises'
import { expect, it } from 'vitest'
import { isUnreachable } from './passing'

const faultOf = (options: { path: string } | { port: number; host: string }) =>
  new Promise<NodeJS.ErrnoException>((resolve) => connect(options as never).once('error', resolve))

it('a socket that is not there yet passes, and a file that is not there does not (connect(2), open(2))', async () => {
  const folder = mkdtempSync(join(tmpdir(), 'mattock-socket-'))
  const away = await faultOf({ path: join(folder, '.s.PGSQL.1') })
  expect([away.code, isUnreachable(away)]).toEqual(['ENOENT', true])
  const missing: unknown = await readFile(join(folder, 'no file')).catch((error: unknown) => error)
  expect([(missing as NodeJS.ErrnoException).code, isUnreachable(missing)]).toEqual(['ENOENT', false])
  rmSync(folder, { recursive: true })
})

it('so does a port at which nobody listens', async () => {
  expect(isUnreachable(await faultOf({ port: 1, host: '127.0.0.1' }))).toBe(true)
})

it.each([
  [{ code: 'EAGAIN', syscall: 'connect' }, true],
  [{ code: 'EAGAIN', syscall: 'read' }, false],
  [{ code: 'ENOSPC', syscall: 'write' }, false],
  // what the package pg says (lib/client.js)
  [{ message: 'Connection terminated unexpectedly' }, true],
  [{ message: 'Client has encountered a connection error and is not queryable' }, true],
  [{}, false],
])('%j: %s', (error, passes) => {
  expect(isUnreachable(error)).toBe(passes)
})
