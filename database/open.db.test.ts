import { join } from 'node:path'
import pg from 'pg'
import { expect, inject, it } from 'vitest'
import { migrateDatabase } from './open'

const folder = join(import.meta.dirname, 'migrations')

it('a store that a newer version used is refused in words, and left as it is', async () => {
  const name = `newer_${process.pid}`
  const admin = new pg.Client({ connectionString: inject('cluster') })
  await admin.connect()
  await admin.query(`create database ${name}`)
  const url = Object.assign(new URL(inject('cluster')), { pathname: `/${name}` }).toString()
  const store = new pg.Client({ connectionString: url })
  try {
    await migrateDatabase(url, folder)
    await store.connect()
    const count = async () =>
      (await store.query<{ n: number }>('select count(*)::int as n from drizzle.__drizzle_migrations'))
        .rows[0]!.n
    const before = await count()
    // once more changes nothing
    await migrateDatabase(url, folder)
    expect(await count()).toBe(before)
    await store.query(
      `insert into drizzle.__drizzle_migrations (hash, created_at) values ('of later', 4102444800000)`,
    )
    await expect(migrateDatabase(url, folder)).rejects.toThrow(
      /last used by a newer version of Mattock \(its tables are as of 2100-01-01\).*choose another data folder/,
    )
    expect(await count()).toBe(before + 1)
    // who waits for the lock is not kept waiting by the one that was refused
    await store.query(`delete from drizzle.__drizzle_migrations where hash = 'of later'`)
    await migrateDatabase(url, folder)
  } finally {
    await store.end()
    await admin.query(`drop database ${name} with (force)`)
    await admin.end()
  }
})
