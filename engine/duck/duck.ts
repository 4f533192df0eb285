import { DuckDBInstance, type DuckDBConnection } from '@duckdb/node-api'
import { execFile } from 'node:child_process'
import { closeSync, constants, openSync } from 'node:fs'
import { rm } from 'node:fs/promises'
import { Socket } from 'node:net'
import { availableParallelism } from 'node:os'
import { join } from 'node:path'
import { promisify } from 'node:util'
import { newFolder, temporaryRoot } from '../context/temporary'

const run = promisify(execFile)

/** One core is left to what takes the rows: a database on this machine, and our own pumping. */
const threads = Math.max(1, Math.min(4, availableParallelism() - 1))

/** MB that one instance may hold; and, beyond so many columns, for each of them. */
const usualMemory = 256
const manyColumns = 200
const memoryOfColumn = 0.6
let room = usualMemory

const instances = new Map<boolean, Promise<DuckDBInstance>>()

/**
 * A DuckDB without a file; one for rows in any order, and one, made when first needed, that keeps their order.
 * Its memory is bounded, so that a worker stays within 500 MB. Each of its calls holds a libuv thread: the process
 * must be started with UV_THREADPOOL_SIZE well above the number of loads it runs at once (engine/queue/worker.ts
 * refuses to start otherwise).
 */
function duck(ordered: boolean): Promise<DuckDBInstance> {
  let instance = instances.get(ordered)
  if (!instance) {
    const options = {
      memory_limit: `${usualMemory}MB`,
      threads: String(threads),
      preserve_insertion_order: String(ordered),
      temp_directory: join(temporaryRoot(), 'duck'),
    }
    instances.set(ordered, (instance = DuckDBInstance.create(':memory:', options)))
  }
  return instance
}

/** A connection of its own for one piece of work: its rejects are seen by it alone. Closed afterwards. */
export async function withDuck<T>(
  zone: string,
  ordered: boolean,
  work: (connection: DuckDBConnection) => Promise<T>,
): Promise<T> {
  const connection = await (await duck(ordered)).connect()
  try {
    await connection.run(`set TimeZone = ${literal(zone)}`)
    return await work(connection)
  } finally {
    connection.closeSync()
  }
}

/**
 * Makes room for rows of many columns: each takes vectors of its own at every step. The room stays for this process;
 * what it holds in all is bounded elsewhere (context/limits.ts).
 */
export async function makeRoom(duck: DuckDBConnection, columns: number): Promise<void> {
  if (columns <= manyColumns) return
  room = Math.max(room, Math.ceil(usualMemory + columns * memoryOfColumn))
  await duck.run(`set memory_limit = '${room}MB'`)
}

/** A text as an SQL literal. */
export const literal = (text: string): string => `'${text.replace(/'/g, "''")}'`

/** A text list as a DuckDB literal. */
export const literalList = (texts: readonly string[]): string => `[${texts.map(literal).join(', ')}]`

/**
 * A named pipe whose reading end is a stream of ours. Both ends are opened here without blocking, so that no thread
 * waits for the other side; `finish` closes our writing end, and the stream ends once the other writer has too.
 */
export interface NamedPipe {
  readonly path: string
  readonly stream: Socket
  finish(): void
  destroy(): Promise<void>
}

/** Named pipes that are free to be used again: making one costs a process, more than a small load itself. */
const freePaths: string[] = []
let folder: Promise<string> | undefined
let made = 0

async function pipePath(): Promise<string> {
  const free = freePaths.pop()
  if (free) return free
  folder ??= newFolder('pipe')
  const path = join(await folder, String(++made))
  await run('mkfifo', ['-m', '600', path])
  return path
}

/** A named pipe for as long as the work takes; it must be drained by then. */
export async function withPipePath<T>(work: (path: string) => Promise<T>): Promise<T> {
  const path = await pipePath()
  const result = await work(path)
  // one that a fault left half full is not used again
  freePaths.push(path)
  return result
}

/** Takes the named pipes of this process away. */
export async function removePipes(): Promise<void> {
  if (folder) await rm(await folder, { recursive: true, force: true })
  folder = undefined
  freePaths.length = 0
}

export async function makePipe(): Promise<NamedPipe> {
  const path = await pipePath()
  const reading = openSync(path, constants.O_RDONLY | constants.O_NONBLOCK)
  const writing = openSync(path, constants.O_WRONLY | constants.O_NONBLOCK)
  const stream = new Socket({ fd: reading, readable: true, writable: false })
  const closed = new Promise((resolve) => stream.once('close', resolve))
  let open = true
  const finish = () => {
    if (open) closeSync(writing)
    open = false
  }
  return {
    path,
    stream,
    finish,
    destroy: async () => {
      finish()
      stream.destroy()
      // only when both of our ends are closed is the pipe empty again
      await closed
      freePaths.push(path)
    },
  }
}
