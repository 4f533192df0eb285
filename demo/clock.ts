import { statSync } from 'node:fs'
import { join } from 'node:path'
import { zone } from './basin'
import type { Engine } from '../engine/context/engine'
import { sentThrough } from './outside'
import { demoToday } from './seed'

/** The clock of a demo: that of its starts and of those outside. Its day may be pinned, and it may go quicker than others. */
export class DemoClock {
  private real = Date.now()
  private shown = Date.now()
  /** How many times as quick as others it goes. */
  rate = 1

  constructor(private readonly engine: Engine) {}

  /** Milliseconds since 1970. */
  now(): number {
    return this.shown + (Date.now() - this.real) * this.rate
  }

  /** Begins on the pinned day; or where it stood when the demo last ran, however quick it went and long it stood still. */
  async begin(folder: string): Promise<void> {
    const pinned = process.env.MATTOCK_TODAY && demoToday().toZonedDateTime({ timeZone: zone, plainTime: '10:00' }).epochMilliseconds
    if (pinned) return await this.set(pinned, 1)
    const { rowCount } = await this.engine.db.$client.query('select 1 from mattock.shown_clock')
    if (!rowCount) return
    const through = sentThrough(folder)
    const stood = through === undefined ? 0 : through + (Date.now() - statSync(join(folder, 'outside.json')).mtimeMs)
    await this.set(Math.max(stood, Date.now()), 1)
  } // prettier-ignore

  /** Goes on from where it stands, so many times as quick. */
  async goOn(rate: number): Promise<this> {
    if (rate !== 1) await this.set(this.now(), rate)
    return this
  }

  private async set(shown: number, rate: number): Promise<void> {
    await this.engine.db.$client.query(
      `insert into mattock.shown_clock (real, shown, rate) values (clock_timestamp(), to_timestamp($1 / 1000.0), $2)
       on conflict (id) do update set real = excluded.real, shown = excluded.shown, rate = excluded.rate`,
      [shown, rate],
    )
    this.real = Date.now()
    this.shown = shown
    this.rate = rate
  }
}
