import { readdirSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import { getTableConfig, PgTable } from 'drizzle-orm/pg-core'
import { describe, expect, it } from 'vitest'
import * as schema from './schema'

const folder = join(import.meta.dirname, 'migrations')
const journal = JSON.parse(readFileSync(join(folder, 'meta/_journal.json'), 'utf8')) as {
  entries: { idx: number; tag: string; when: number }[]
}
const sql = journal.entries.map(({ tag }) => readFileSync(join(folder, `${tag}.sql`), 'utf8')).join('\n')

describe('migrations', () => {
  it('are all in the journal, in their order, each later than the one before', () => {
    const files = readdirSync(folder)
      .filter((name) => name.endsWith('.sql'))
      .sort()
    expect(journal.entries.map(({ tag }) => `${tag}.sql`)).toEqual(files)
    journal.entries.forEach(({ idx, when, tag }, i) => {
      expect(idx).toBe(i)
      expect(tag.startsWith(String(i).padStart(4, '0'))).toBe(true)
      // Drizzle leaves out what is not later than the last one it applied
      if (i > 0) expect(when).toBeGreaterThan(journal.entries[i - 1]!.when)
    })
  })

  it('make every table of the schema, in schema mattock', () => {
    const tables = Object.values(schema).filter((one) => one instanceof PgTable)
    expect(tables.length).toBeGreaterThan(20)
    for (const table of tables) {
      const { name, schema: of } = getTableConfig(table)
      expect(of).toBe('mattock')
      expect(sql.toLowerCase()).toContain(`create table "mattock"."${name}"`)
    }
  })

  it('never drop what holds a person’s work', () => {
    for (const table of ['job_version', 'control_change', 'run', 'load', 'load_step', 'connection_setting'])
      expect(sql).not.toMatch(new RegExp(`drop table[^;]*"${table}"`, 'i'))
  })
})
