import { describe, expect, it } from 'vitest'
import { jobNeeds } from './needs'
import { parseJob } from './parse'

const needs = (text: string) => {
  const { job, faults } = parseJob(`mattock: job/1\nname: n\ntitle: N\n${text}`)
  if (!job) throw new Error(JSON.stringify(faults))
  return jobNeeds(job)
}

describe('what a job needs of an environment', () => {
  it('names connections with their kind and every place', () => {
    const { connections } = needs(`
parts:
  - once: [{id: a, sql: {on: warehouse, text: select 1}}]
  - each: {roster: {files: {store: drop, named: "*.csv"}}}
    do:
      - {id: b, transfer: {from: {store: drop, files: "{row.path}"}, into: {connection: warehouse, table: t, write: append}}}
      - {id: c, transfer: {from: {service: rain, path: /x}, into: {store: "{row.store}", file: y.csv}}}
      - {id: d, check: {on: warehouse, table: t, that: [{rows: {at_least: 1}}]}}`)
    expect(connections).toEqual([
      { name: 'warehouse', kind: 'postgres', paths: ['parts.0.once.0.sql.on', 'parts.1.do.0.transfer.into.connection', 'parts.1.do.2.check.on'] },
      { name: 'drop', kind: 'files', paths: ['parts.1.do.0.transfer.from.store', 'parts.1.each.roster.files.store'] },
      { name: 'rain', kind: 'service', paths: ['parts.1.do.1.transfer.from.service'] },
    ]) // prettier-ignore
  })
  it('names values of the environment, but not its name', () => {
    const { values } = needs(`
parts:
  - each: {roster: {rows: [{a: 1}], where: "row.a > env.least"}}
    do: [{id: a, sql: {on: w, text: "select {env.bucket}, {env.name}, {env.bucket}"}}]`)
    expect(values.map(({ name }) => name)).toEqual(['bucket', 'least'])
    expect(values[0]!.paths[0]).toBe('parts.0.do.0.sql.text')
  })
  it('names control tables with the columns that are used, without their prefix', () => {
    const { controls } = needs(`
parts:
  - each: {roster: {control: feeds, where: row.active, key: [feed], sort: [-size], prefix: ""}}
    do: [{id: a, transfer: {from: {store: s, files: "{row.path}"}, into: {connection: w, table: "raw.{row.target}", write: append}}}]
  - each: {roster: {control: outer, inner: {control: inside, prefix: in_}}}
    do: [{id: b, sql: {on: w, text: "select {row.in_name}, {row.name}"}}]`)
    expect(controls.map(({ name }) => name)).toEqual(['feeds', 'outer', 'inside'])
    expect([...controls[0]!.columns].sort()).toEqual(['active', 'feed', 'path', 'size', 'target'])
    expect(controls[1]!.columns).toEqual(['name'])
    expect(controls[2]!.columns).toEqual(['name'])
    expect(controls[2]!.paths).toEqual(['parts.1.each.roster.inner.control'])
  })
  it('passes over texts with mistakes and steps that are turned off', () => {
    const { connections, values } = needs(`
parts:
  - once:
      - {id: a, sql: {on: w, text: "select {env.} {"}}
      - {id: b, off: true, sql: {on: gone, text: "select {env.x}"}}`)
    expect(connections.map(({ name }) => name)).toEqual(['w'])
    expect(values).toEqual([])
  })
})
