import { describe, expect, it } from 'vitest'
import { parseJob } from '../parse'
import { packingOf } from '.'

const faults = (work: string) =>
  parseJob(`mattock: job/1
name: a
title: a
parts:
  - once:
      - id: work
        files: {${work}}
`).faults.map(({ message, where }) => `${where.path}: ${message}`)
const from = "from: {store: s, files: '*.csv'}"

describe('what is done with files', () => {
  it.each([
    [`do: copy, ${from}, into: {store: t}`],
    [`do: move, ${from}, into: {store: t, folder: x}, covered_by: [load]`],
    [`do: delete, ${from}, covered_by: [load]`],
    [`do: pack, ${from}, into: {store: t, file: x.zip}`],
    [`do: unpack, ${from}, into: {store: t}, keep_folders: true`],
  ])('%s', (work) => {
    expect(faults(work)).toEqual([])
  })

  it.each([
    [`do: copy, ${from}`, 'files.into: copy needs a place to put them into'],
    [`do: copy, ${from}, into: {store: t, file: x.csv}`, 'files.into.file: copy puts files into a folder by their own names'], // prettier-ignore
    [`do: pack, ${from}, into: {store: t}`, 'files.into.file: pack needs the name of a file'],
    [`do: pack, ${from}, into: {store: t, file: x.zip, folder: y}`, 'files.into.folder: pack puts files into one file'], // prettier-ignore
    [`do: delete, ${from}, into: {store: t}, covered_by: [a]`, 'files.into: delete puts files nowhere'],
    [`do: delete, ${from}`, 'files.covered_by: delete takes away only what steps have loaded or copied: name them'], // prettier-ignore
    [`do: move, ${from}, into: {store: t}`, 'files.covered_by: move takes away only what steps have loaded or copied: name them'], // prettier-ignore
    [`do: copy, ${from}, into: {store: t}, covered_by: [a]`, 'files.covered_by: copy takes nothing away'],
  ])('not %s', (work, fault) => {
    expect(faults(work).join('\n')).toContain(fault)
  })

  it('is packed as the ending says', () => {
    expect(['a.zip', 'a.ZIP', 'a.tar.gz', 'a.tgz', 'a.csv.gz', 'a.rar', 'zip'].map(packingOf)).toEqual([
      'zip', 'zip', 'tar', 'tar', 'gzip', undefined, undefined,
    ]) // prettier-ignore
  })
})
