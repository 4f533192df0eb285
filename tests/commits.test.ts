import { connect, createServer, type AddressInfo, type Server, type Socket } from 'node:net'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { saveSettings } from '../engine/connectors/connections'
import { rerun } from '../engine/running/runs'
import { fileJob, testBench, type TestBench } from './support/bench'
import { until } from './support/faults'

/** Stands between Mattock and the warehouse, and can lose an answer, or be away. */
interface Between {
  readonly port: number
  /** The next commit is passed on and done, and its answer is lost with the connection; the database may stay away. */
  loseCommit(staysAway?: 'stays away'): void
  away: boolean
  close(): void
}

async function between(to: { host: string; port: number }): Promise<Between> {
  let lose = false
  let stays = false
  const state = { away: false }
  const sockets = new Set<Socket>()
  const server: Server = createServer((client) => {
    if (state.away) return void client.destroy()
    const database = connect(to)
    for (const socket of [client, database]) {
      sockets.add(socket)
      socket.on('error', () => {})
      socket.on('close', () => (client.destroy(), database.destroy()))
    }
    let lost = false
    client.on('data', (bytes) => {
      database.write(bytes)
      // a simple query of the protocol: Q, its length, its text, 0
      if (lose && bytes.toString('latin1').includes('commit\0')) {
        lose = false
        lost = true
      }
    })
    database.on('data', (bytes) => {
      if (!lost) client.write(bytes)
      else if (bytes.toString('latin1').includes('COMMIT\0')) {
        // it was done: that is what nobody hears
        state.away = stays
        client.destroy()
      }
    })
  })
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
  return {
    port: (server.address() as AddressInfo).port,
    loseCommit: (staysAway) => {
      lose = true
      stays = staysAway !== undefined
    },
    get away() {
      return state.away
    },
    set away(away) {
      state.away = away
      if (away) for (const socket of sockets) socket.destroy()
    },
    close: () => {
      for (const socket of sockets) socket.destroy()
      server.close()
    },
  }
}

let bench: TestBench
let middle: Between
beforeAll(async () => {
  bench = await testBench()
  Object.assign(bench.engine.limits, { pause: 20 })
  const at = new URL(bench.warehouseUrl)
  middle = await between({ host: at.hostname, port: Number(at.port) })
  const settings = { host: at.hostname, port: middle.port, database: at.pathname.slice(1), user: at.username }
  await saveSettings(bench.engine, 'warehouse', 'dev', { settings, secret: at.password }, 'test')
  bench.writeFile('rows.csv', 'v\n1\n2\n3\n')
  await bench.worker()
})
afterAll(async () => {
  await bench.close()
  middle.close()
})

const append = (name: string) =>
  fileJob(name, 'rows.csv', `{connection: warehouse, table: public.${name}, write: append}`)
const rowsIn = async (table: string) =>
  (await bench.rows(`select count(*)::int as n from public.${table}`))[0]!.n
const loadOf = async (run: number) =>
  (await bench.own(`select l.state, l.error, l.written, s.log from mattock.load l left join mattock.load_step s on s.load_id = l.id where run_id = $1`, [run]))[0]! // prettier-ignore

describe('a connection that is lost at the commit', () => {
  it('after the database did it: the step looks for its marker, and does nothing twice', async () => {
    await bench.rows('create table public.lost (v int)')
    // the table of markers is made first
    await bench.load(append('first'))
    middle.loseCommit()
    const load = await loadOf(await bench.load(append('lost')))
    expect(load).toMatchObject({ state: 'done', written: 3 })
    expect(load.log).toContain('an earlier attempt had taken effect; it was not done again')
    expect(await rowsIn('lost')).toBe(3)
  })

  it('and stays away: nobody says that nothing was written, and the rerun finds out', async () => {
    await bench.rows('create table public.gone (v int)')
    middle.loseCommit('stays away')
    const run = await bench.load(append('gone'))
    expect(await loadOf(run)).toMatchObject({
      state: 'failed',
      error: {
        code: 'commit-unknown',
        effect: 'whether it took effect is not known; its marker in the database tells',
      },
    })
    middle.away = false
    const again = await rerun(bench.engine, run, { by: 'test' })
    await bench.ended(again)
    expect(await loadOf(again)).toMatchObject({ state: 'done', written: 3 })
    expect(await rowsIn('gone')).toBe(3)
  })
})

describe('a lock that another holds', () => {
  it('is waited for, and the load says whose it is', async () => {
    await bench.rows('create table public.held (v int)')
    const holder = await bench.warehouse.connect()
    await holder.query('begin; lock table public.held')
    const ran = bench.load(append('held'))
    let words: unknown
    await until('it says so', async () => {
      words = (await bench.own(`select waits_for from mattock.load where state = 'running'`))[0]?.waits_for
      return Boolean(words)
    })
    expect(words).toMatch(/^a lock in warehouse that session \d+ \(keeper\) since \d+ s holds$/)
    await holder.query('commit')
    holder.release()
    const run = await ran
    expect(await loadOf(run)).toMatchObject({ state: 'done', written: 3 })
    expect(await bench.own('select waits_for from mattock.load where run_id = $1', [run])).toEqual([
      { waits_for: null },
    ])
  })

  it('is not waited for longer than a load may', async () => {
    await bench.rows('create table public.kept (v int)')
    Object.assign(bench.engine.limits, { lockWait: 300 })
    const holder = await bench.warehouse.connect()
    await holder.query('begin; lock table public.kept')
    const run = await bench.load(append('kept'))
    await holder.query('rollback')
    holder.release()
    Object.assign(bench.engine.limits, { lockWait: 300_000 })
    expect(await loadOf(run)).toMatchObject({
      state: 'failed',
      error: { code: 'locked', effect: 'nothing was written' },
    })
  })
})
