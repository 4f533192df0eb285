import { readdir, rm, stat } from 'node:fs/promises'
import { join } from 'node:path'
import { inBatches } from '../context/inBatches'
import type { Engine } from '../context/engine'
import type { Keeper } from './definition'

const batch = 500

const folderOf = (engine: Engine) => join(engine.dataFolder, 'rejects')
const at = 'coalesce(l.ended_at, l.started_at)'
const withRejects =
  'mattock.load_step s join mattock.load l on l.id = s.load_id where s.reject_file is not null'

/** Runs that have a folder for their rejects, by its name. */
async function foldersIn(engine: Engine): Promise<string[]> {
  return (await readdir(folderOf(engine)).catch(() => [])).filter((name) => /^\d+$/.test(name))
}

async function bytesOnDisk(engine: Engine): Promise<number> {
  let bytes = 0
  await inBatches(await foldersIn(engine), 8, async (run) => {
    const folder = join(folderOf(engine), run)
    for (const name of await readdir(folder).catch(() => []))
      bytes += (await stat(join(folder, name)).catch(() => ({ size: 0 }))).size
  })
  return bytes
}

export const rejects: Keeper = {
  amount: async (engine, before) => {
    const { rows } = await engine.db.$client.query<{ count: number; oldest: string | null; goes: number }>(
      `select count(*) as count, min(${at}) as oldest,
         count(*) filter (where $1::timestamptz is not null and ${at} < $1) as goes from ${withRejects}`,
      [before],
    )
    return { ...rows[0]!, bytes: await bytesOnDisk(engine) }
  },
  takeAway: async (engine, before) => {
    // the record forgets the file first: what is listed can always be opened
    const { rows } = await engine.db.$client.query<{ file: string }>(
      `with old as (select s.load_id, s.position, s.reject_file from ${withRejects} and ${at} < $1 limit ${batch})
, sent as (delete from mattock.reject_file r using old where r.load_id = old.load_id)
       update mattock.load_step s
       set reject_file = null, log = s.log || jsonb_build_array('its rejects were kept for a time and are gone; their counts stay')
       from old where s.load_id = old.load_id and s.position = old.position returning old.reject_file as file`,
      [before],
    )
    for (const { file } of rows) await rm(join(folderOf(engine), file), { force: true })
    return rows.length
  },
}

/** Takes away folders of rejects whose run is gone: left where the process ended between the two. Returns how many. */
export async function sweepRejects(engine: Engine): Promise<number> {
  const there = await foldersIn(engine)
  const { rows } = await engine.db.$client.query<{ run: string }>(
    `select f as run from unnest($1::text[]) f where not exists (select 1 from mattock.run r where r.id = f::bigint)`,
    [there],
  )
  for (const { run } of rows) await rm(join(folderOf(engine), run), { recursive: true, force: true })
  return rows.length
}
