import { execFileSync, spawn, type ChildProcess } from 'node:child_process'
import { copyFileSync, mkdirSync } from 'node:fs'
import { createServer, connect, type Server, type Socket } from 'node:net'
import { join } from 'node:path'
import { endChild } from '../../cli/keep'
import type { TestBench } from './bench'
import { silence } from './pace'

const project = join(import.meta.dirname, '../..')

/** A machine that a worker runs on: with a network and a data folder of its own. */
export interface Host {
  readonly name: string
  readonly folder: string
  /** Begins a worker there. */
  begin(capacity: number, more?: readonly string[]): ChildProcess
  /** Takes its network away, without a word to anybody. */
  cut(): void
  mend(): void
}

export interface Hosts {
  readonly hosts: readonly Host[]
  /** Where the databases are reached from all of them. */
  readonly address: string
  readonly port: number
  readonly said: () => string
  close(): Promise<void>
}

const ip = (...args: string[]) => execFileSync('ip', args, { stdio: ['ignore', 'pipe', 'pipe'] }).toString()

/** May this machine make networks of its own? */
export function mayMakeNetworks(): boolean {
  const name = `mattock-may-${process.pid}`
  try {
    ip('netns', 'add', name)
    ip('netns', 'del', name)
    return true
  } catch {
    return false
  }
}

/**
 * Hosts in network namespaces, joined by a bridge to this machine, where a pipe leads to Postgres on loopback. Nothing leaves the
 * machine.
 */
export async function makeHosts(bench: TestBench, names: readonly string[]): Promise<Hosts> {
  const mark = `m${process.pid % 10_000}`
  const net = `10.213.${process.pid % 250}`
  const bridge = `${mark}br`
  ip('link', 'add', bridge, 'type', 'bridge')
  ip('addr', 'add', `${net}.1/24`, 'dev', bridge)
  ip('link', 'set', bridge, 'up')
  let said = ''
  const children: ChildProcess[] = []
  const { server, port } = await pipeTo(`${net}.1`, Number(new URL(bench.url).port))
  const hosts = names.map((name, i): Host => {
    const space = `${mark}${name}`
    const link = `${mark}v${i}`
    ip('netns', 'add', space)
    ip('link', 'add', link, 'type', 'veth', 'peer', 'name', 'eth0', 'netns', space)
    ip('link', 'set', link, 'master', bridge, 'up')
    ip('-n', space, 'addr', 'add', `${net}.${i + 2}/24`, 'dev', 'eth0')
    ip('-n', space, 'link', 'set', 'eth0', 'up')
    ip('-n', space, 'link', 'set', 'lo', 'up')
    const folder = join(bench.folder, `host-${name}`)
    mkdirSync(folder)
    copyFileSync(join(bench.folder, 'secret.key'), join(folder, 'secret.key'))
    return {
      name,
      folder,
      begin: (capacity, more = []) => {
        const url = Object.assign(new URL(bench.url), { hostname: `${net}.1`, port: String(port) }).toString()
        const args = [join(project, 'dist-faults/main.js'), 'worker', '--data', folder, '--capacity', String(capacity), ...more] // prettier-ignore
        const child = spawn('ip', ['netns', 'exec', space, process.execPath, ...args], {
          env: {
            ...process.env,
            DATABASE_URL: url,
            ...silence(3),
            MATTOCK_STORES: bench.folder,
          },
          stdio: ['ignore', 'ignore', 'pipe'],
        })
        child.stderr.on('data', (chunk: Buffer) => (said += chunk.toString()))
        children.push(child)
        return child
      },
      cut: () => void ip('link', 'set', link, 'down'),
      mend: () => void ip('link', 'set', link, 'up'),
    }
  })
  return {
    hosts,
    address: `${net}.1`,
    port,
    said: () => said,
    close: async () => {
      for (const host of hosts) host.mend()
      await Promise.all(children.map((child) => endChild(child, 20_000)))
      server.close()
      for (const { name } of hosts) ip('netns', 'del', `${mark}${name}`)
      ip('link', 'del', bridge)
    },
  }
}

/** Passes on what comes to an address of this machine to a port on loopback. */
async function pipeTo(address: string, to: number): Promise<{ server: Server; port: number }> {
  const open = new Set<Socket>()
  const server = createServer((one) => {
    const other = connect(to, '127.0.0.1')
    for (const [a, b] of [[one, other], [other, one]] as const) {
      open.add(a)
      a.on('error', () => b.destroy())
      a.on('close', () => (open.delete(a), b.destroy()))
      a.pipe(b)
    }
  }) // prettier-ignore
  server.on('close', () => open.forEach((socket) => socket.destroy()))
  await new Promise<void>((resolve) => server.listen(0, address, resolve))
  const { port } = server.address() as { port: number }
  const close = server.close.bind(server)
  server.close = (done) => {
    for (const socket of open) socket.destroy()
    return close(done)
  }
  return { server, port }
}
