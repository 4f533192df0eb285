import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { verdictOfLoad, verdictOfStep, type Found, type Recorded } from './verdict'

const record: Recorded = {
  step: 'bring-in',
  state: 'done',
  written: 100,
  writtenIn: '77',
  connection: 'warehouse',
}
const found: Found = { marker: { writtenIn: '77', written: 100 }, rows: 100, since: null, files: [] }
const of = (r: Partial<Recorded>, f: Partial<Found> = {}) =>
  verdictOfStep({ ...record, ...r }, { ...found, ...f })

describe('what a step left', () => {
  it('holds where marker and rows are there', () => {
    expect(of({})).toEqual({ step: 'bring-in', holds: true, written: 100, found: 100, why: null })
  })
  it('does not hold where rows are gone or changed, and says who wrote there since', () => {
    expect(of({}, { rows: 98, since: 'run 9 of x wrote there last' }).why).toBe(
      '2 of 100 rows are not as they were left; run 9 of x wrote there last',
    )
    expect(of({ written: 1 }, { rows: 0, marker: { writtenIn: '77', written: 1 } }).why).toBe(
      '1 of 1 row is not as it was left; no transfer of Mattock has written there since',
    )
  })
  it('does not hold without its marker, or where that says something else', () => {
    expect(of({}, { marker: null }).why).toBe('its marker is not in warehouse any more')
    expect(of({}, { marker: { writtenIn: '77', written: 99 } }).why).toMatch(
      /wrote 100 rows, and its marker 99 rows/,
    )
  })
  it('says that nothing can be told where the database was restored, and counts nothing', () => {
    expect(of({}, { marker: { writtenIn: '5', written: 100 }, rows: 0 })).toMatchObject({
      holds: false,
      found: null,
    })
  })
  it('says why nobody could look', () => {
    expect(of({}, { marker: 'connection refused' })).toMatchObject({
      holds: false,
      found: null,
      why: 'connection refused',
    })
    expect(of({}, { rows: 'there is no table raw.reading' }).why).toBe('there is no table raw.reading')
  })
  it('of a failed step is nothing: a marker of it is a contradiction', () => {
    expect(of({ state: 'failed' }, { marker: null, rows: null })).toMatchObject({ holds: true, found: null })
    expect(of({ state: 'failed' }).why).toMatch(/its record says failed, and its marker in warehouse says/)
  })
  it('of a step that writes files goes by the files', () => {
    const files = { written: null, writtenIn: null, connection: null }
    expect(of(files, { marker: null, rows: null })).toMatchObject({ holds: true })
    expect(of(files, { marker: null, rows: null, files: ['a.csv is not there any more'] }).why).toBe(
      'a.csv is not there any more',
    )
  })
  it('holds just where what was found is what was written, whatever the numbers', () => {
    fc.assert(
      fc.property(fc.nat(1e6), fc.nat(1e6), (written, rows) => {
        const { holds } = of({ written }, { rows, marker: { writtenIn: '77', written } })
        expect(holds).toBe(written === rows)
      }),
    )
  })
})

it('a load holds where all its steps do, and sums what was counted', () => {
  const good = of({})
  const bad = of({ step: 'second' }, { rows: 40 })
  const files = of({ step: 'third', written: null, writtenIn: null }, { marker: null, rows: null })
  expect(verdictOfLoad('a', [good, files])).toEqual({
    key: 'a',
    holds: true,
    written: 100,
    found: 100,
    why: null,
  })
  expect(verdictOfLoad('a', [good, bad])).toMatchObject({ holds: false, written: 200, found: 140 })
  expect(verdictOfLoad('a', [good, bad]).why).toMatch(/^second: 60 of 100 rows/)
  expect(verdictOfLoad('a', [files]).found).toBeNull()
})
