import { mkdirSync, readFileSync, writeFileSync, existsSync } from 'node:fs'
import { randomBytes } from 'node:crypto'
import { join, resolve } from 'node:path'
import { openDatabase, type Database } from '../../database/open'
import { openLog, type Logger } from './logger'
import { openPools, type Pools } from './pools'
import { readLimits, type Limits } from './limits'
import { readNetwork, type Network } from './network'
import { readStorePlaces, type StorePlaces } from './stores'
import type { PlanAsk } from '../planning/planAsk'
import { removePipes } from '../duck/duck'

/** What every part of the engine works with. */
export interface Engine {
  readonly db: Database
  readonly databaseUrl: string
  /** Rejects, and the key of secrets. */
  readonly dataFolder: string
  /** The data folder is the server's, so that it sees what is laid down there. */
  readonly home: boolean
  readonly key: Buffer
  readonly pools: Pools
  readonly log: Logger
  /** Id of this installation, written into the markers it leaves in targets. */
  readonly installation: string
  readonly limits: Limits
  /** Where file stores may lie. */
  readonly stores: StorePlaces
  /** Which addresses services may lie at. */
  readonly network: Network
  /** Plans in a process of its own, where there is one; the person's plans wait for each other. */
  planApart?: (person: string, ask: PlanAsk) => Promise<{ readonly id: number }>
  close(): Promise<void>
}

/** Opens the engine over a store that is migrated. */
export async function openEngine(
  databaseUrl: string,
  dataFolder: string,
  connections = 10,
  log: Logger = openLog('engine'),
): Promise<Engine> {
  const folder = resolve(dataFolder)
  mkdirSync(folder, { recursive: true })
  const db = openDatabase(databaseUrl, connections)
  const pools = openPools()
  const { rows } = await db.$client.query<{ id: string }>(
    `with made as (
       insert into mattock.installation (id, name)
       select gen_random_uuid()::text, 'mattock' where not exists (select 1 from mattock.installation)
       returning id)
     select id from made union all select id from mattock.installation limit 1`,
  )
  const installation = rows[0]!.id
  return {
    db,
    databaseUrl,
    dataFolder: folder,
    get home() {
      return isHome(folder, installation)
    },
    key: secretKey(folder),
    pools,
    log,
    installation,
    limits: readLimits(process.env),
    stores: readStorePlaces(process.env, folder),
    network: readNetwork(process.env),
    close: async () => {
      await pools.close()
      await removePipes()
      await db.$client.end()
    },
  }
}

/** 32 bytes: MATTOCK_SECRET_KEY in base64, or a file of the data folder, made on first use. */
function secretKey(folder: string): Buffer {
  const given = process.env.MATTOCK_SECRET_KEY
  if (given) {
    const key = Buffer.from(given, 'base64')
    if (key.length !== 32) throw new Error('MATTOCK_SECRET_KEY must be 32 bytes in base64')
    return key
  }
  const file = join(folder, 'secret.key')
  if (!existsSync(file)) {
    try {
      writeFileSync(file, randomBytes(32), { mode: 0o600, flag: 'wx' })
    } catch (error) {
      // another process made it in the same moment
      if ((error as NodeJS.ErrnoException).code !== 'EEXIST') throw error
    }
  }
  return readFileSync(file)
}

/** Says that a data folder is the server's of this installation. */
export const makeHome = ({ dataFolder, installation }: Pick<Engine, 'dataFolder' | 'installation'>): void =>
  writeFileSync(join(dataFolder, 'home'), `${installation}\n`)

function isHome(folder: string, installation: string): boolean {
  const file = join(folder, 'home')
  return existsSync(file) && readFileSync(file, 'utf8').trim() === installation
}
