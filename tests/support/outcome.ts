import { readFileSync } from 'node:fs'
import { expect } from 'vitest'
import { csvRecords } from '../../core/files/csvRecords'
import type { TestBench } from './bench'

/** What became of the one load of a run, and the rows that it left out, without their header. */
export async function outcomeOf(bench: TestBench, run: number) {
  const [step] = await bench.own(
    `select l.state, l.error, l.error ->> 'message' as message, l.read::int, l.written::int, l.rejected::int, s.reject_file, s.reject_reasons, s.log
     from mattock.load l join mattock.load_step s on s.load_id = l.id where l.run_id = $1`,
    [run],
  )
  const file = step!.reject_file as string | null
  if (!file) return { step: step!, rejects: [] }
  const [head, ...rejects] = csvRecords(readFileSync(`${bench.folder}/rejects/${file}`, 'utf8'))
  expect(head).toEqual(['file', 'line', 'column', 'reason', 'raw'])
  return { step: step!, rejects }
}
