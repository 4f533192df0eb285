import { mkdirSync, statSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { DuckDBInstance } from '@duckdb/node-api'
import { startSurvey } from '../engine/survey/survey'
import { acceptProposals } from '../engine/survey/accept'
import { benchPlace } from './place'

const folders = 40
const filesOfEach = 50
const rowsOfEach = 500

/**
 * 2,000 CSV files in 40 folders: a survey of them, against one DuckDB process that describes the same files (at most
 * 2 times); and again with nothing changed (at most a tenth of the first).
 */
const say = (text: string) => console.log(text)
const place = await benchPlace(1, 2)
try {
  const files: string[] = []
  for (let folder = 0; folder < folders; folder++) {
    mkdirSync(join(place.drop, `folder_${folder}`), { recursive: true })
    for (let n = 0; n < filesOfEach; n++) {
      const file = join(place.drop, `folder_${folder}`, `reading_${20260101 + n}.csv`)
      const lines = [`meter,read_at,value,state,code,c${folder}`]
      for (let row = 0; row < rowsOfEach; row++)
        lines.push(
          `M${row % 12},2026-11-${String(1 + (n % 28)).padStart(2, '0')}T${String(row % 24).padStart(2, '0')}:15:00+01:00,${((row * 1.37) % 90).toFixed(3)},${row % 97 ? 'ok' : 'estimated'},${row},2026-11-0${1 + (n % 9)}`,
        )
      writeFileSync(file, `${lines.join('\n')}\n`)
      files.push(file)
    }
  }
  const bytes = files.reduce((sum, file) => sum + statSync(file).size, 0)
  say(`2,000 CSV files in 40 folders, ${(bytes / 1e6).toFixed(0)} MB`)
  const first = await surveyed()
  say(`  survey, first: ${first.toFixed(2)} s`)
  const again = await surveyed()
  say(`  survey, nothing changed: ${again.toFixed(2)} s = ${(again / first).toFixed(3)} of the first`)
  const duck = await (await DuckDBInstance.create(':memory:')).connect()
  // every folder has one shape, so describing the files of a folder together is the quickest fair way
  const start = performance.now()
  for (let folder = 0; folder < folders; folder++) {
    const list = files.slice(folder * filesOfEach, (folder + 1) * filesOfEach).map((file) => `'${file}'`)
    await duck.runAndReadAll(`describe select * from read_csv([${list.join(', ')}], union_by_name = true)`)
  }
  const described = (performance.now() - start) / 1000
  duck.closeSync()
  say(
    `  DuckDB, describe of each folder's files: ${described.toFixed(2)} s; the survey took ${(first / described).toFixed(3)} x`,
  )
} finally {
  await place.close()
}

async function surveyed(): Promise<number> {
  const start = performance.now()
  const id = await startSurvey(place.engine, {
    connection: 'drop',
    environment: 'dev',
    scope: { include: [], exclude: [], prefix: '' },
    by: 'bench',
  })
  for (;;) {
    const { rows } = await place.engine.db.$client.query<{ state: string; fault: string | null }>(
      'select state, fault from mattock.survey where id = $1',
      [id],
    )
    if (rows[0]!.state === 'done') break
    if (rows[0]!.fault) throw new Error(rows[0]!.fault)
    await new Promise((resolve) => setTimeout(resolve, 10))
  }
  const seconds = (performance.now() - start) / 1000
  await acceptProposals(place.engine, id, undefined, 'bench')
  return seconds
}
