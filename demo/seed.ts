import { mkdirSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import pg from 'pg'
import { Temporal } from 'temporal-polyfill'
import { saveSettings } from '../engine/connectors/connections'
import { saveRule } from '../engine/alerts/rules'
import { alertRuleSchema, type AlertRuleGiven } from '../core/alert/rule'
import type { Engine } from '../engine/context/engine'
import { saveJob } from '../engine/jobs/versions'
import { makeAssets } from './assets'
import { feeds, zone } from './basin'
import { layStrays } from './gauges'
import { laboratories } from './lab'
import { gauges } from './services'
import { layTelemetry } from './telemetry'

export const organisation = 'Ostrel Basin Water · data platform'
export const accounts = [
  {
    email: 'marek@ostrel.example',
    password: 'dunmoor-gauge-7',
    name: 'I. Marek',
    role: 'keeper',
    environments: {},
  },
  // builds and tries in dev and staging, runs what is there in live
  {
    email: 'holm@ostrel.example',
    password: 'sallow-meter-5',
    name: 'T. Holm',
    role: 'engineer',
    environments: { live: 'operator' },
  },
  {
    email: 'guest@ostrel.example',
    password: 'only-looking-3',
    name: 'Guest',
    role: 'reader',
    environments: {},
  },
] as const

export interface DemoPlace {
  readonly host: string
  readonly port: number
  readonly user: string
  readonly password: string
  /** Makes a database where it is not there yet, and gives its address. */
  ensure(database: string): Promise<string>
  /** Prefix of the demo's databases, so that several demos share a server. */
  readonly prefix: string
  /** Folder of the demo's file stores. */
  readonly folder: string
  /** Addresses of the stand-ins. */
  readonly fieldwork: string
  readonly rainfall: string
  readonly smtpPort: number
  readonly events: string
  /** Folder of demo/definitions. */
  readonly definitions: string
}

/** The demo's day: MATTOCK_TODAY, or today in the basin's zone. */
export function demoToday(): Temporal.PlainDate {
  const pinned = process.env.MATTOCK_TODAY
  return pinned ? Temporal.PlainDate.from(pinned) : Temporal.Now.plainDateISO(zone)
}

/** Lays down the demo once: environments, connections, control tables, jobs, the asset registry. Quick; history follows. */
export async function seedDemo(engine: Engine, place: DemoPlace): Promise<void> {
  const client = engine.db.$client
  await client.query(
    `insert into mattock.environment (name, position, live) values ('dev', 1, false), ('staging', 2, false), ('live', 3, true) on conflict do nothing`,
  )
  await client.query(
    `insert into mattock.connection (name, kind, title, cap) values
       ('gauge-drop', 'files', 'Where the districts drop their gauge files', null),
       ('assetdb', 'postgres', 'Asset registry', 4),
       ('warehouse', 'postgres', 'Warehouse', 8),
       ('lab-post', 'files', 'Where the laboratories post their workbooks', null),
       ('fieldwork', 'service', 'Work orders of the field crews', 2),
       ('rainfall', 'service', 'Rain gauges of the weather office', 3),
       ('lake', 'files', 'Parquet copies of the raw tables', null),
       ('landing', 'files', 'Where the telemetry lands', null),
       ('office-post', 'mail', 'The office’s mail', null),
       ('control-room', 'webhook', 'Events for the control room', null)
     on conflict do nothing`,
  )
  const drop = join(place.folder, 'gauge-drop')
  const labPost = join(place.folder, 'lab-post')
  for (const folder of [drop, labPost]) mkdirSync(folder, { recursive: true })
  layStrays(drop, demoToday())
  const assets = new pg.Client({ connectionString: await place.ensure(`${place.prefix}assetdb`) })
  await assets.connect()
  await makeAssets(assets)
  await assets.end()
  for (const environment of ['dev', 'staging', 'live']) {
    await place.ensure(`${place.prefix}warehouse_${environment}`)
    const database = (name: string) => ({
      host: place.host,
      port: place.port,
      user: place.user,
      database: `${place.prefix}${name}`,
    })
    await saveSettings(engine, 'gauge-drop', environment, { settings: { folder: drop } }, 'the demo')
    await saveSettings(engine, 'lab-post', environment, { settings: { folder: labPost } }, 'the demo')
    // each environment has a lake of its own, as it has a warehouse
    const lake = join(place.folder, 'lake', environment)
    mkdirSync(lake, { recursive: true })
    await saveSettings(engine, 'lake', environment, { settings: { folder: lake } }, 'the demo')
    const landing = join(place.folder, 'landing', environment)
    // in live the nights lay it down as they come
    for (const daysAgo of environment === 'live' ? [] : [2, 1])
      layTelemetry(landing, demoToday().subtract({ days: daysAgo }))
    mkdirSync(landing, { recursive: true })
    await saveSettings(engine, 'landing', environment, { settings: { folder: landing } }, 'the demo')
    const post = {
      host: '127.0.0.1',
      port: place.smtpPort,
      security: 'none',
      user: '',
      from: 'loads@ostrel.example',
    }
    await saveSettings(engine, 'office-post', environment, { settings: post }, 'the demo')
    await saveSettings(
      engine,
      'control-room',
      environment,
      { settings: { address: place.events }, secret: 'weir-and-sluice' },
      'the demo',
    )
    await saveSettings(
      engine,
      'fieldwork',
      environment,
      { settings: fieldworkSettings(place.fieldwork) },
      'the demo',
    )
    await saveSettings(
      engine,
      'rainfall',
      environment,
      { settings: rainfallSettings(place.rainfall) },
      'the demo',
    )
    await saveSettings(
      engine,
      'assetdb',
      environment,
      { settings: database('assetdb'), secret: place.password },
      'the demo',
    )
    await saveSettings(
      engine,
      'warehouse',
      environment,
      { settings: database(`warehouse_${environment}`), secret: place.password },
      'the demo',
    )
  }
  await makeControlTables(client)
  for (const name of [
    'gauge-readings',
    'registry-copy',
    'lab-results',
    'work-orders',
    'rain-gauges',
    'lake-copy',
    'telemetry-archive',
    'billing',
    'nightly',
    'zone-water',
    'zone-month',
  ]) {
    await saveJob(engine, readFileSync(join(place.definitions, `${name}.yaml`), 'utf8'), {
      by: 'I. Marek',
      message: 'first version',
    })
  }
  for (const rule of alertRules) await saveRule(engine, alertRuleSchema.parse(rule), null, 'I. Marek')
}

/** Who is told of what. */
const alertRules: readonly AlertRuleGiven[] = [
  {
    name: 'on-call',
    title: 'Whoever is on call',
    in: ['live'],
    zone,
    tells: { matters: { about: ['failed', 'check', 'unbalanced', 'not-begun', 'overdue', 'late', 'stuck'], after: 'PT5M', again: 'P1D', quiet: { from: '23:00', until: '05:30' } } },
    to: [{ mail: { on: 'office-post', to: 'holm@ostrel.example, marek@ostrel.example' } }],
  },
  {
    name: 'missing-files',
    title: 'Districts that owe files',
    in: ['live'],
    zone,
    tells: { matters: { about: ['file', 'silence'], jobs: ['gauge-readings'] } },
    to: [{ webhook: { on: 'control-room' } }],
  },
  {
    name: 'morning-mail',
    title: 'The morning in a mail',
    in: ['live'],
    zone,
    tells: { summary: { at: '15 7 * * mon-fri' } },
    to: [{ mail: { on: 'office-post', to: 'marek@ostrel.example' } }],
  },
] // prettier-ignore

const fieldworkSettings = (base: string) => ({
  base, paging: 'page', page_parameter: 'page', size_parameter: 'size', page_size: 50, first_page: 1, records: 'orders', endpoints: '/work-orders',
}) // prettier-ignore
const rainfallSettings = (base: string) => ({ base, endpoints: '/gauges\n/readings?gauge=ridge' })

async function makeControlTables(client: pg.Pool): Promise<void> {
  await client.query(`
    create table if not exists control.feed_control (
      feed text primary key, connection text not null, district text not null, kind text not null, prefix text not null,
      target text not null, due time not null, active boolean not null default true, note text)`)
  await client.query(`
    create table if not exists control.registry_control (
      source text primary key, target text not null, title text not null, active boolean not null default true)`)
  for (const feed of feeds()) {
    await client.query(
      `insert into control.feed_control (feed, connection, district, kind, prefix, target, due, active, note)
       values ($1, $2, $3, $4, $5, $6, $7, $8, $9) on conflict do nothing`,
      [
        feed.feed,
        feed.connection,
        feed.district,
        feed.kind,
        feed.prefix,
        feed.target,
        feed.due,
        feed.active,
        feed.note,
      ],
    )
  }
  const registry = [
    ['reg_pump', 'pump', 'Pumps'],
    ['reg_valve', 'valve', 'Valves'],
    ['reg_main', 'main', 'Mains'],
    ['reg_reservoir', 'reservoir', 'Reservoirs'],
    ['reg_meter', 'meter', 'Customer meters'],
    ['reg_zone', 'zone', 'Supply zones'],
  ]
  for (const row of registry)
    await client.query(
      'insert into control.registry_control (source, target, title) values ($1, $2, $3) on conflict do nothing',
      row,
    )
  await client.query(`
    create table if not exists control.lab_control (
      lab text primary key, title text not null, active boolean not null default true)`)
  for (const lab of laboratories)
    await client.query(
      'insert into control.lab_control (lab, title) values ($1, $2) on conflict do nothing',
      [lab, `${lab[0]!.toUpperCase()}${lab.slice(1)} laboratory`],
    )
  await client.query(`
    create table if not exists control.rain_control (
      gauge text primary key, active boolean not null default true, note text)`)
  for (const gauge of gauges)
    await client.query('insert into control.rain_control (gauge) values ($1) on conflict do nothing', [gauge])
  const rules = {
    feed: { required: true },
    connection: { required: true, names: 'connection' },
    kind: { required: true, one_of: ['flow', 'pressure', 'level', 'chlorine', 'turbidity', 'power'] },
    target: { required: true },
  }
  await client.query(
    `insert into mattock.control_table (name, title, schema, "table", rules) values
       ('feed_control', 'What the districts send, and where it goes', 'control', 'feed_control', $1),
       ('registry_control', 'Tables of the asset registry', 'control', 'registry_control', $2),
       ('lab_control', 'Laboratories that post workbooks', 'control', 'lab_control', '{"lab": {"required": true}}'),
       ('rain_control', 'Rain gauges of the weather office', 'control', 'rain_control', '{"gauge": {"required": true}}')
     on conflict do nothing`,
    [JSON.stringify(rules), JSON.stringify({ source: { required: true }, target: { required: true } })],
  )
}
