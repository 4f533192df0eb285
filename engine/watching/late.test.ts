import { describe, expect, it } from 'vitest'
import type { ForeseenRun, Outlook } from '../scheduling/outlook'
import { lateOnes } from './late'

const run = (more: Partial<ForeseenRun>): ForeseenRun => ({
  job: 'zones', start: 'day', at: '2026-11-25T05:45:00.000Z', begins: '2026-11-25T05:45:00.000Z', ends: '2026-11-25T09:00:00.000Z', low: '', high: '',
  after: [], unknown: false, run: null, refused: false, stuck: null, givesUp: null, label: null, due: '2026-11-25T08:30:00.000Z', ...more,
}) // prettier-ignore
const outlook = (foreseen: ForeseenRun[], workers = 4): Outlook => ({
  at: '', workers, jobs: [{ job: 'zones', title: 'Zone water', zone: 'UTC', due: '08:30', starts: [] }], foreseen, held: [], busy: [], crowded: [], capped: [], caps: [],
}) // prettier-ignore
const at = (time: string) => new Date(`2026-11-25T${time}:00Z`)

describe('runs that are late', () => {
  it('will likely be late before they are due, and are late from then on, as one matter', () => {
    const foreseen = outlook([run({})])
    const [before] = lateOnes(foreseen, undefined, at('07:00'))
    expect(before).toMatchObject({ kind: 'late', title: 'Zone water will likely be late by 30 min' })
    const [after] = lateOnes(outlook([run({ run: 9 })]), undefined, at('10:15'))
    expect(after).toMatchObject({ kind: 'overdue', title: 'Zone water is late, by 1 h 45 min so far', run: 9 })
    expect(after!.key).toBe(before!.key)
  })
  it('say what would keep them, where more places at workers would', () => {
    const other = outlook([run({ ends: '2026-11-25T08:00:00.000Z' })], 8)
    expect(lateOnes(outlook([run({})]), other, at('07:00'))[0]!.text).toContain('with 8 places at workers instead of 4')
    expect(lateOnes(outlook([run({ after: [0] })]), outlook([run({})], 8), at('07:00'))[0]!.text).toContain('it begins when what it waits for is done')
  })
  it('say what they wait for where nothing brings that, before they are due and after', () => {
    const stuck = outlook([run({ stuck: '2026-11-24 of Gauge readings', ends: '2026-11-26T05:00:00.000Z' })])
    expect(lateOnes(stuck, stuck, at('07:00'))[0]).toMatchObject({ title: 'Zone water will be late: it waits for 2026-11-24 of Gauge readings', text: 'nothing that is to begin brings that' })
    expect(lateOnes(stuck, stuck, at('10:15'))[0]).toMatchObject({ title: 'Zone water is late, by 1 h 45 min so far', text: 'it waits for 2026-11-24 of Gauge readings, and nothing that is to begin brings that' })
  })
  it('are those, too, that give up waiting before they are due', () => {
    const gone = outlook([run({ stuck: 'its files', ends: '2026-11-25T07:45:00.000Z', givesUp: '2026-11-25T07:45:00.000Z', unknown: true })])
    expect(lateOnes(gone, gone, at('07:00'))[0]).toMatchObject({ kind: 'late', title: 'Zone water will be late: it waits for its files', text: 'nothing that is to begin brings that, and fails when it has waited as long as it may' })
    expect(lateOnes(outlook([run({ givesUp: '2026-11-25T07:45:00.000Z', due: null })]), undefined, at('07:00'))).toEqual([])
  })
  it('are none where they are in time, nothing is due or nothing is known', () => {
    for (const one of [{ ends: '2026-11-25T08:30:00.000Z' }, { due: null }, { unknown: true }, { refused: true }])
      expect(lateOnes(outlook([run(one)]), undefined, at('10:00'))).toEqual([])
  })
}) // prettier-ignore
