import { expect } from 'vitest'
import type { TestBench } from './bench'

let jobs = 0

/** Runs one transfer; `from` and `into` in YAML flow form. */
export async function moved(bench: TestBench, from: string, into: string, more = '') {
  const run = await bench.load(`
mattock: job/1
name: t-${++jobs}
title: a transfer
parts:
  - each: {roster: {rows: [{n: 1, low: 100, text: "it's"}]}}
    do:
      - id: move
        transfer:
          from: ${from}
          into: ${into}
${more.replace(/^/gm, '          ')}
`)
  const [load] = await bench.own(
    `select l.state, l.read, l.written, l.unchanged, l.rejected, l.filtered, l.merged, l.error ->> 'message' as message, s.log, s.files, s.reject_reasons as reasons
     from mattock.load l left join mattock.load_step s on s.load_id = l.id where l.run_id = $1`,
    [run],
  )
  const { read, written, unchanged, rejected, filtered, merged } = load as Record<string, number>
  if (load!.state === 'done') expect(read).toBe(written! + unchanged! + rejected! + filtered! + merged!)
  return load as {
    state: string
    read: number
    written: number
    rejected: number
    message: string
    log: string[]
    reasons: Record<string, number>
  }
}
