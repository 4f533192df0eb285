import { mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, describe, expect, it, vi } from 'vitest'
import { openStore } from '../engine/connectors/files/store'
import type * as StepKinds from '../core/job/steps/registry'
import type * as StepRunners from '../engine/steps/registry'
import type * as ConnectorKinds from '../core/connection/registry'
import type * as Connectors from '../engine/connectors/registry'
import type * as FormatKinds from '../core/files/formats/registry'
import type * as FormatReaders from '../engine/formats'
import type * as Findings from '../core/plan/findings/index'
import type { StepFrame } from '../engine/steps/runStep'

/**
 * A made-up kind of step, connector, format and finding, each added to its registries as docs/extending.md says, and run.
 * Nothing else of the product knows of them.
 */
vi.mock('../core/job/steps/registry', async (original) => {
  const { z } = await import('zod')
  const { template } = await import('../core/field/field')
  const { steps } = await original<typeof StepKinds>()
  const shout = {
    does: 'its words in capitals',
    tells: 'log',
    firstId: 'shout',
    schema: z.strictObject({
      words: template({ as: 'text', label: 'words' }).describe('what is said'),
      times: z.int().min(1).default(1).describe('how often'),
    }),
    fresh: () => 'words: hello',
  }
  return { steps: { ...steps, shout } }
})
vi.mock('../engine/steps/registry', async (original) => {
  const { runners } = await original<typeof StepRunners>()
  const shout = {
    run: (
      { text, outcome }: { text: (path: string) => { text: string }; outcome: { log: string[] } },
      { times }: { times: number },
    ) => {
      for (let i = 0; i < times; i++) outcome.log.push(text('words').text.toUpperCase())
      return Promise.resolve(outcome)
    },
  }
  return { runners: { ...runners, shout } }
})
vi.mock('../core/connection/registry', async (original) => {
  const { z } = await import('zod')
  const { connectors } = await original<typeof ConnectorKinds>()
  const shelf = {
    title: 'shelf',
    words: 'a shelf',
    holds: 'records',
    settings: z.strictObject({ boards: z.string().describe('names, parted by blanks') }),
    secret: () => undefined,
  }
  return { connectors: { ...connectors, shelf } }
})
vi.mock('../engine/connectors/registry', async (original) => {
  const { connectors } = await original<typeof Connectors>()
  interface Shelf {
    readonly boards: string[]
  }
  const shelf = {
    open: (name: string, { boards }: { boards: string }) => ({
      kind: 'shelf',
      name,
      boards: boards.split(' '),
    }),
    test: async (
      { boards }: Shelf,
      step: (label: string, work: () => Promise<[number, string]>) => Promise<number>,
    ) => {
      await step('has boards', () => Promise.resolve([boards.length, `${boards.length} boards`]))
    },
    browse: ({ boards }: Shelf) =>
      Promise.resolve(
        boards.map((name) => ({ kind: 'folder', name, path: name, size: null, modified: null, rows: null })),
      ),
    firstRows: () => Promise.resolve({ columns: [], rows: [], note: 'a shelf has no rows' }),
    survey: () => Promise.resolve({ found: [], strays: [] }),
  }
  return { connectors: { ...connectors, shelf } }
})
vi.mock('../core/files/formats/registry', async (original) => {
  const { formats } = await original<typeof FormatKinds>()
  const lines = {
    words: 'lines',
    endings: { own: ['lines'] },
    family: 'lines',
    typed: false,
    reads: [],
    writes: null,
  }
  return { formats: { ...formats, lines } }
})
vi.mock('../engine/formats', async (original) => {
  const { formats } = await original<typeof FormatReaders>()
  const { csvSql } = await import('../engine/formats/csv/reader')
  const lines = {
    begins: (_text: string, ending: string) => ending === 'lines',
    counts: 'lines',
    head: () => ({ format: { kind: 'lines' }, names: ['line'] }),
    open: (_duck: unknown, files: readonly { full: string }[]) =>
      Promise.resolve({
        columns: [{ name: 'line', type: 'VARCHAR' }],
        sql: () =>
          csvSql(
            files.map(({ full }) => full),
            { kind: 'csv', header: false, delimiter: '\u0001' },
            ['line'],
          ),
        ofText: true,
        rows: new Map(),
      }),
  }
  return { formats: { ...formats, lines } }
})
vi.mock('../core/plan/findings/index', async (original) => {
  const own = await original<typeof Findings>()
  const tooMany: (typeof own.rules)[number] = ({ loads }, _facts, findings) => {
    if (loads.length > 2) findings.add('many-loads' as never, 'note', `${loads.length} loads are many`, {})
  }
  return { ...own, rules: [...own.rules, tooMany] }
})

const folder = mkdtempSync(join(tmpdir(), 'mattock-kinds-'))
afterAll(() => rmSync(folder, { recursive: true, force: true }))

const document = `mattock: job/1
name: loud
title: Loud
parts:
  - each: { roster: { rows: [{ who: ann }, { who: bo }, { who: cy }] } }
    do:
      - id: shout
        shout: { words: "hello {row.who}", times: 2 }
`

describe('a step of a kind that is made up', () => {
  it('is read, with every mistake at its line', async () => {
    const { parseJob } = await import('../core/job/parse')
    expect(parseJob(document).faults).toEqual([])
    const [fault] = parseJob(document.replace('times: 2', 'tims: 2')).faults
    expect(fault!.message).toBe('nothing here is called "tims"; did you mean "times"?')
  })

  it('is offered, written as a fresh one, and completed', async () => {
    const { stepKinds } = await import('../core/job/steps')
    expect(stepKinds).toContain('shout')
    const { addStep } = await import('../core/job/editSteps')
    const { text } = addStep(document, 0, 1, 'shout' as never)
    const { parseJob } = await import('../core/job/parse')
    expect(parseJob(text).job!.parts[0]!.do!.map(({ id }) => id)).toEqual(['shout', 'shout-2'])
    const { offerAt } = await import('../core/job/complete')
    const typing = document.replace('times: 2', 'ti')
    const offer = offerAt(typing, typing.indexOf('ti }') + 2, {
      connections: {} as never,
      controls: [],
      expressions: [],
    })
    expect(offer!.options.map(({ label }) => label)).toContain('times')
  })

  it('is planned: its texts are resolved for each row', async () => {
    const { load } = await planned()
    expect(load.resolved).toEqual([{ kind: 'text', text: 'hello ann' }])
  })

  it('runs', async () => {
    const { job, part, load } = await planned()
    const { runStep } = await import('../engine/steps/runStep')
    const { textsOfStep } = await import('../core/plan/texts')
    const frame = { zone: 'UTC', signal: new AbortController().signal } as StepFrame
    const step = job.parts[0]!.do![0]!
    const { outcome, error } = await runStep(frame, step, {
      planned: textsOfStep(part, load, step.id),
      bindings: () => ({}),
    })
    expect(error).toBeUndefined()
    expect(outcome.log).toEqual(['HELLO ANN', 'HELLO ANN'])
  })

  async function planned() {
    const { parseJob } = await import('../core/job/parse')
    const { expand } = await import('../core/plan/expand/expand')
    const job = parseJob(document).job!
    const request = {
      job, environment: { name: 'dev', values: {} }, parameters: {}, only: undefined, slices: undefined, now: '2026-11-01T00:00:00Z',
    } // prettier-ignore
    const expansion = expand(request, new Map())
    return { job, expansion, part: expansion.parts[0]!, load: expansion.loads[0]! }
  }

  it('is judged by a finding that is made up', async () => {
    const { expansion } = await planned()
    const { judgeOnly } = await import('../core/plan/plan')
    const { noFacts } = await import('../core/plan/noFacts')
    const { findings } = judgeOnly(expansion, noFacts())
    expect(findings.map(({ message }) => message)).toContain('3 loads are many')
  })
})

describe('a connector that is made up', () => {
  it('is opened, tested and browsed', async () => {
    const { connectionKinds, connectorOf } = await import('../core/connection/connection')
    expect(connectionKinds).toContain('shelf')
    const kind = 'shelf' as never
    expect(connectorOf(kind).words).toBe('a shelf')
    const { connectorFor, openKind } = await import('../engine/connectors')
    const opened = openKind(
      kind,
      'hall',
      connectorOf(kind).settings.parse({ boards: 'top bottom' }),
      undefined,
      undefined as never,
    )
    const said: string[] = []
    await connectorFor(opened).test(opened, async (label, work) => {
      const [value, detail] = await work()
      said.push(`${label}: ${detail}`)
      return value
    })
    expect(said).toEqual(['has boards: 2 boards'])
    expect((await connectorFor(opened).browse(opened, '')).map(({ name }) => name)).toEqual(['top', 'bottom'])
  })
})

describe('a format that is made up', () => {
  it('is known by its name and read as a load reads it, its records counted beside', async () => {
    const { kindByName } = await import('../core/files/formats')
    expect(kindByName('a/b.lines')).toBe('lines')
    writeFileSync(join(folder, 'one.lines'), 'first, with a comma\nsecond\n')
    const { detectFile } = await import('../engine/formats/detect')
    expect(await detectFile(join(folder, 'one.lines'), 'one.lines')).toMatchObject({ kind: 'lines' })
    const { openFiles } = await import('../engine/reading/files')
    const { withDuck } = await import('../engine/duck/duck')
    const { emptyOutcome } = await import('../engine/context/step')
    const { fromSchema } = await import('../core/job/sources')
    const reading = fromSchema.parse({ store: 'drop', files: '*.lines', format: 'lines' })
    const read = await withDuck('UTC', true, async (duck) => {
      const place = {
        store: openStore('drop', folder),
        pattern: '*.lines',
        said: '*.lines',
        reading,
        optional: false,
      }
      const source = await openFiles(duck, place, folder, emptyOutcome())
      if (source.empty) throw new Error('it has rows')
      const rows = (await duck.runAndReadAll(`select line from ${source.sql()}`)).getRows()
      return { rows, counted: (await source.counted).rows }
    })
    expect(read).toEqual({ rows: [['first, with a comma'], ['second']], counted: 2 })
  })
})
