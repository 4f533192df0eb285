import { describe, expect, it } from 'vitest'
import { parseJob } from '../job/parse'
import { documentPath } from './documentPath'
import { sarifLog } from './sarif'
import type { Finding } from './types'

const text = `mattock: job/1
name: t
title: T
parameters: {region: {default: all}}
parts:
  - once:
      - {id: first, sql: {on: wh, text: "select 1"}}
  - each: {roster: {control: feeds}}
    do:
      - id: bring
        transfer:
          from: {store: drop, files: "{row.fed}.csv"}
          into: {connection: wh, table: raw.x, write: append}
`
const finding = (given: Partial<Finding>): Finding => ({
  code: 'unknown-name',
  level: 'stop',
  message: 'm',
  where: {},
  loads: [],
  ...given,
})
const parsed = parseJob(text)

describe('where a finding points', () => {
  it.each([
    [{ path: 'parts.1.each.roster' }, 'parts.1.each.roster', 8],
    [{ step: 'bring', path: 'transfer.from.files' }, 'parts.1.do.0.transfer.from.files', 12],
    [{ step: 'first' }, 'parts.0.once.0', 7],
    [{ part: 1, path: 'slices' }, 'slices', 1],
    [{ path: 'parameters.region' }, 'parameters.region', 4],
    [{ part: 1 }, 'parts.1', 8],
  ])('%j is %s, in line %i', (where, path, line) => {
    expect(documentPath(parsed.job!, finding({ where }))).toBe(path)
    expect(parsed.place(path).line).toBe(line)
  })
  it('is nowhere for what is no matter of the document', () =>
    expect(documentPath(parsed.job!, finding({ where: { connection: 'x' } }))).toBeUndefined())
})

// OASIS SARIF 2.1.0: 3.13 log, 3.27 result, 3.49 rule; levels error, warning and note
describe('findings as SARIF 2.1.0', () => {
  const log = sarifLog(
    [
      finding({ where: { step: 'bring', path: 'transfer.from.files', loads: ['a'] }, loads: [0] }),
      finding({ code: 'no-file', level: 'look' }),
      finding({ code: 'range-count', level: 'note' }),
    ],
    parsed,
    'jobs/t.yaml',
  )
  it('has a run with a tool, its rules, and a result for each finding', () => {
    expect(log.version).toBe('2.1.0')
    const [run] = log.runs
    expect(run!.tool.driver.rules.map(({ id }) => id)).toEqual(['no-file', 'range-count', 'unknown-name'])
    expect(run!.results.map(({ level }) => level)).toEqual(['error', 'warning', 'note'])
    for (const result of run!.results)
      expect(run!.tool.driver.rules[result.ruleIndex]!.id).toBe(result.ruleId)
  })
  it('points at the line and column, from 1', () => {
    expect(log.runs[0]!.results[0]!.locations[0]).toEqual({
      physicalLocation: {
        artifactLocation: { uri: 'jobs/t.yaml' },
        region: { startLine: 12, startColumn: 31 },
      },
      logicalLocations: [{ fullyQualifiedName: 'parts.1.do.0.transfer.from.files', kind: 'member' }],
    })
    expect(log.runs[0]!.results[1]!.locations[0]!.physicalLocation.region).toEqual({
      startLine: 1,
      startColumn: 1,
    })
  })
})
