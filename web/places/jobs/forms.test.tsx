import { screen, waitFor } from '@testing-library/react'
import { useState, type ReactElement } from 'react'
import { describe, expect, it } from 'vitest'
import { parse } from 'yaml'
import { someNames } from '../../../core/job/beginnings'
import { outlineOf } from '../../../core/job/outline'
import { setAt, type Path } from '../../../core/job/editText'
import { formable } from '../../../core/job/formable'
import { parseJob } from '../../../core/job/parse'
import { fault, show, type Answers } from '../../testing/page'
import type { JobAnswer, OutlineAnswer } from './answers'
import { Outline, type Chosen } from './Outline'
import { AboutForm } from './AboutForm'
import { PartForm } from './PartForm'
import { PlanForm } from './PlanForm'
import { StartsForm } from './StartsForm'
import { StepForm } from './StepForm'
import { TryForm } from './TryForm'

const text = `mattock: job/1
name: readings
title: Readings
parameters:
  district: {type: text, default: north, one_of: [north, south]}
  limit: {type: integer, required: true, try: 5}
slices: {every: P1D, zone: Europe/Dublin, from: "2026-01-01"}
parts:
  - once:
      - {id: empty, sql: {on: warehouse, text: "truncate staging.reading"}}
  - each: {roster: {control: feeds}, at_once: 4}
    do:
      - id: bring-in
        transfer:
          from: {store: drop, files: "{row.file}.csv"}
          into: {connection: warehouse, table: raw.reading, write: append}
      - {id: look, log: {text: done}}
      - {id: rest, off: true, log: {text: rest}}
`
const outline = (of = text): OutlineAnswer => {
  const { job, faults, place } = parseJob(of)
  if (!job) throw new Error(JSON.stringify(faults))
  return structuredClone(outlineOf(job, place)) as never
}
const job = (more: Partial<JobAnswer> = {}): JobAnswer => ({
  name: 'readings',
  version: 3,
  newest: 3,
  text,
  savedAt: '2026-11-20T10:00:00.000Z',
  savedBy: 'Ana',
  runsIn: [{ environment: 'dev', version: 3, by: 'Ana', at: '2026-11-20T10:00:00.000Z' }],
  message: '',
  versions: [],
  outline: outline(),
  newestSlice: '2026-11-23',
  ...more,
})
const button = (name: string | RegExp) => screen.getByRole<HTMLButtonElement>('button', { name })
const field = (name: string | RegExp) => screen.getByLabelText<HTMLInputElement>(name)

describe('what to plan', () => {
  const open = (answers: Answers = {}, of = job()) =>
    show(<PlanForm job={of} onClose={() => {}} />, { answers: { makePlan: { id: 12 }, ...answers } })

  it('is the newest slice with the defaults, where nothing else is said', async () => {
    const page = open()
    await page.user.type(field(/limit/), '7')
    await page.user.click(button('Plan in dev'))
    await waitFor(() => expect(page.address()).toBe('/plans/12'))
    expect(page.bodies('makePlan')).toEqual([
      {
        job: 'readings',
        version: 3,
        environment: 'dev',
        parameters: { district: 'north', limit: '7' },
        // half-open: the day after the last is not of it
        span: '2026-11-23/2026-11-24',
      },
    ])
  })

  it('is narrowed by an expression, as it was typed', async () => {
    const page = open()
    await page.user.type(field('only loads where'), ' row.n > 1 && row.name != \'a "b"\' ')
    await page.user.type(field(/limit/), '1')
    await page.user.click(button('Plan in dev'))
    expect(page.bodies('makePlan')).toMatchObject([{ only: 'row.n > 1 && row.name != \'a "b"\'' }])
  })

  it('takes a span as text where slices are no days', async () => {
    const hours = text.replace('every: P1D', 'every: PT6H')
    const page = open({}, job({ outline: outline(hours), newestSlice: '2026-11-23T06:00/2026-11-23T12:00' }))
    const span = field(/slices, FROM\/TO/)
    expect(span.value).toBe('2026-11-23T06:00/2026-11-23T12:00')
    await page.user.type(field(/limit/), '1')
    await page.user.click(button('Plan in dev'))
    expect(page.bodies('makePlan')).toMatchObject([{ span: '2026-11-23T06:00/2026-11-23T12:00' }])
  })

  it('stays open with what stands in the way', async () => {
    const page = open({ makePlan: fault('parameter', 'limit: 99 is over 50', { path: 'limit' }) })
    await page.user.type(field(/limit/), '99')
    await page.user.click(button('Plan in dev'))
    expect(await screen.findByText(/99 is over 50/)).toBeTruthy()
    expect(field(/limit/).value).toBe('99')
    expect(button('Plan in dev').disabled).toBe(false)
  })

  it('asks for no rows and no slices where the job has none', () => {
    const once = `mattock: job/1
name: once
title: Once
parts:
  - once:
      - {id: look, log: {text: done}}
`
    open({}, job({ text: once, outline: outline(once), newestSlice: null }))
    expect(screen.queryByLabelText('only loads where')).toBeNull()
    expect(screen.queryByLabelText(/slices/)).toBeNull()
    expect(button('Plan in dev').disabled).toBe(false)
  })
})

describe('what to try', () => {
  const roster = {
    columns: [{ name: 'file', type: 'text' as const }],
    key: ['file'],
    before: 300,
    total: 300,
    found: 300,
    rows: ['ardle', 'corrie', 'esk'].map((key) => ({ key, row: { file: key } })),
    findings: [],
  }
  const open = (answers: Answers = {}, more: { until?: string; part?: number; live?: boolean } = {}) =>
    show(
      <TryForm
        job="readings"
        text={text}
        outline={outline()}
        part={more.part ?? 1}
        until={more.until}
        at={{ row: null, slice: '2026-11-23' }}
        onClose={() => {}}
      />,
      {
        environment: more.live ? 'live' : 'dev',
        answers: { previewRoster: roster, tries: [], startTry: { id: 4 }, ...answers },
      },
    )

  it('is the first row up to the last step that is on, with the values for trying', async () => {
    const page = open()
    await page.user.click(await screen.findByRole('button', { name: 'Try 1 row in dev' }))
    await waitFor(() => expect(page.address()).toBe('/tries/4'))
    expect(page.bodies('startTry')).toEqual([
      {
        text,
        environment: 'dev',
        part: 1,
        rows: ['ardle'],
        slice: '2026-11-23',
        until: 'look',
        holds: [],
        parameters: { district: 'north', limit: '5' },
      },
    ])
  })

  it('stops for a look where it is told to, but not behind its end', async () => {
    const page = open()
    await screen.findByRole('button', { name: 'Try 1 row in dev' })
    await page.user.click(field('empty'))
    await page.user.click(field('bring-in'))
    screen.getByLabelText('up to').focus()
    await page.user.keyboard('{Enter}')
    const options = await screen.findAllByRole('option')
    expect(options.map(({ textContent }) => textContent)).toEqual(['empty', 'bring-in', 'look'])
    await page.user.click(options[1]!)
    await page.user.click(button('Try 1 row in dev'))
    expect(page.bodies('startTry')).toMatchObject([{ until: 'bring-in', holds: ['empty'] }])
  })

  it('finds rows among many by what is typed', async () => {
    const page = open()
    const rows = await screen.findByLabelText('rows, of 300; 20 at most')
    rows.focus()
    await page.user.keyboard('cor')
    await waitFor(() =>
      expect(page.bodies('previewRoster').at(-1)).toMatchObject({ search: 'cor', limit: 50 }),
    )
    await page.user.click(await screen.findByRole('option', { name: 'corrie' }))
    expect(await screen.findByRole('button', { name: 'Try 2 rows in dev' })).toBeTruthy()
  })

  it('of a part that runs once has no rows', async () => {
    const page = open({}, { part: 0 })
    await page.user.click(await screen.findByRole('button', { name: 'Try it in dev' }))
    expect(page.bodies('startTry')).toMatchObject([{ part: 0, rows: [], until: 'empty' }])
    expect(page.asked.some(({ route }) => route === 'previewRoster')).toBe(false)
  })

  it('says in a live environment that nothing of it is written to', async () => {
    open({}, { live: true })
    expect(await screen.findByText('writes into a scratch schema of live and nowhere else')).toBeTruthy()
  })

  it('leads to earlier tries, and tells why it cannot begin', async () => {
    const earlier = {
      id: 3,
      job: 'readings',
      title: 'Readings',
      environment: 'dev',
      state: 'done' as const,
      by: 'Ana',
      createdAt: '2026-11-23T10:00:00.000Z',
      endedAt: null,
      rows: ['esk', 'corrie'],
      slice: null,
    }
    const page = open({ tries: [earlier], startTry: fault('try', 'another try of this job runs') })
    expect((await screen.findByText(/esk and 1 more/)).closest('a')?.getAttribute('href')).toBe('/tries/3')
    await page.user.click(await screen.findByRole('button', { name: 'Try 1 row in dev' }))
    expect(await screen.findByText(/another try of this job runs/)).toBeTruthy()
  })
})

describe('the outline', () => {
  function Shown({ locked = false, first }: { locked?: boolean; first: Chosen }): ReactElement {
    const [now, setNow] = useState(text)
    const [chosen, setChosen] = useState<Chosen>(first)
    const [said, setSaid] = useState('')
    return (
      <>
        <Outline
          text={now}
          outline={outline(now)}
          chosen={chosen}
          names={someNames}
          locked={locked}
          onChoose={setChosen}
          onText={setNow}
          onFault={(error) => setSaid(error.message)}
        />
        <output aria-label="chosen">{JSON.stringify(chosen)}</output>
        <output aria-label="said">{said}</output>
        <output aria-label="order">
          {outline(now)
            .parts.map((part) => part.steps.map(({ id, off }) => (off ? `(${id})` : id)).join(' '))
            .join(' | ')}
        </output>
      </>
    )
  }
  const order = () => screen.getByLabelText('order').textContent
  const chosen = () => JSON.parse(screen.getByLabelText('chosen').textContent) as Chosen
  const open = (id: string, locked = false) => {
    const page = show(<Shown locked={locked} first={{ kind: 'step', id }} />)
    document.querySelector<HTMLElement>(`[data-step="${id}"]`)!.focus()
    return page
  }

  it('is walked by arrows and by j and k, and stops at its ends', async () => {
    const page = open('empty')
    await page.user.keyboard('{ArrowDown}jj{ArrowDown}{ArrowDown}')
    expect(chosen()).toEqual({ kind: 'step', id: 'rest' })
    await page.user.keyboard('kkkkk')
    expect(chosen()).toEqual({ kind: 'step', id: 'empty' })
  })

  it('has its steps moved by Alt and an arrow, from one part into the next', async () => {
    const page = open('look')
    await page.user.keyboard('{Alt>}{ArrowUp}{/Alt}')
    expect(order()).toBe('empty | look bring-in (rest)')
    await page.user.keyboard('{Alt>}{ArrowUp}{/Alt}')
    expect(order()).toBe('empty look | bring-in (rest)')
    await waitFor(() => expect(document.activeElement?.textContent).toContain('look'))
    await page.user.keyboard('{Alt>}{ArrowDown}{/Alt}')
    expect(order()).toBe('empty | look bring-in (rest)')
  })

  it('duplicates, turns off and takes out by key; the next step is chosen then', async () => {
    const page = open('bring-in')
    await page.user.keyboard('d')
    expect(order()).toMatch(/^empty \| bring-in bring-in-2 look/)
    await page.user.keyboard('o')
    expect(order()).toMatch(/^empty \| bring-in \(bring-in-2\) look/)
    await page.user.keyboard('{Delete}')
    expect(order()).toBe('empty | bring-in look (rest)')
    expect(chosen()).toEqual({ kind: 'step', id: 'look' })
  })

  it('changes nothing while the document cannot be read or only be looked at', async () => {
    const page = open('bring-in', true)
    await page.user.keyboard('do{Delete}{Alt>}{ArrowUp}{/Alt}')
    expect(order()).toBe('empty | bring-in look (rest)')
  })

  it('takes the last step of a part out with its part, and tells that one must stay', async () => {
    const page = open('empty')
    for (const [next, left] of [
      ['bring-in', 'bring-in look (rest)'],
      ['look', 'look (rest)'],
      ['rest', '(rest)'],
    ] as const) {
      await page.user.keyboard('{Delete}')
      expect(order()).toBe(left)
      await waitFor(() => expect(document.activeElement?.getAttribute('data-step')).toBe(next))
    }
    await page.user.keyboard('{Delete}')
    expect(order()).toBe('(rest)')
    expect(screen.getByLabelText('said').textContent).toMatch(/part/)
    expect(chosen()).toEqual({ kind: 'step', id: 'rest' })
  })

  it('takes a new step below the chosen one', async () => {
    const page = open('bring-in')
    await page.user.click(button('Add'))
    await page.user.click(screen.getByRole('menuitem', { name: /^check:/ }))
    expect(order()).toMatch(/^empty \| bring-in check\S* look \(rest\)$/)
    expect(chosen()).toMatchObject({ kind: 'step' })
  })

  it('makes a part of its own from a step on', async () => {
    const page = open('look')
    await page.user.click(button('This step'))
    await page.user.click(screen.getByRole('menuitem', { name: /make a part of its own from here/ }))
    expect(order()).toBe('empty | bring-in | look (rest)')
  })

  it('moves a whole part', async () => {
    const page = open('empty')
    await page.user.click(screen.getByRole('button', { name: /^each row/ }))
    expect(chosen()).toEqual({ kind: 'part', index: 1 })
    await page.user.click(button('This part'))
    await page.user.click(screen.getByRole('menuitem', { name: /move up/ }))
    expect(order()).toBe('bring-in look (rest) | empty')
  })
})

describe('the forms of a job', () => {
  const given = text.replace(
    'parts:',
    'starts:\n  - {id: night, clock: {cron: 30 5 * * *}, missed: once}\ndue: 08:00\nparts:',
  )
  const whole = parse(given) as Record<string, unknown>
  const paths = (of: unknown, path: Path = []): Path[] =>
    typeof of === 'object' && of !== null ? [path, ...Object.entries(of).flatMap(([key, one]) => paths(one, [...path, Array.isArray(of) ? Number(key) : key]))] : [path] // prettier-ignore
  const shared = { locked: false, onText: () => {}, names: [] }
  const usual: Answers = { connections: [], controlTables: [], datasets: { total: 0, datasets: [] }, previewStarts: { starts: [] } } // prettier-ignore

  it('are drawn whatever stands where a value is wanted, as long as forms go on with the text', () => {
    let drawn = 0
    for (const [i, path] of paths(whole).entries()) {
      // the kinds of steps are what a form is chosen by
      if (path.length === 0) continue
      const text = setAt(given, path, [5, 'x', [], {}, null, true, [[]], [{ a: 1 }]][i % 8])
      if (!formable(text)) continue
      const faults = parseJob(text).faults
      const parts = outline(given).parts
      const form = {
        starts: () => <StartsForm {...shared} text={text} jobs={[]} faults={faults} />,
        parts: () =>
          path.length > 3 ? (
            <StepForm {...shared} text={text} path={path.slice(0, 4)} kind={parts[Number(path[1] ?? 0)]!.steps[Number(path[3])]?.kind ?? 'log'} slots={[]} faults={faults} onRenamed={() => {}} />
          ) : (
            <PartForm {...shared} text={text} part={parts[Number(path[1] ?? 0)]!} others={[]} faults={faults} />
          ),
      }[String(path[0])] ?? (() => <AboutForm {...shared} text={text} faults={faults} />) // prettier-ignore
      show(form(), { answers: { ...usual, previewRoster: fault('document', 'not now') } })
      expect(screen.getAllByRole('textbox').length, path.join('.')).toBeGreaterThan(0)
      drawn++
    }
    expect(drawn).toBeGreaterThan(30)
  })

  it('keep a group whose only value is emptied to be typed anew; one that may be left out goes where it is left empty', async () => {
    const rows = ['parts', 1, 'do', 0, 'transfer', 'check', 0, 'rows', 'at_least']
    const Editing = (): ReactElement => {
      const [now, setNow] = useState(setAt(setAt(given, rows.slice(0, -3), [{ rows: {} }]), rows, 1))
      return (
        <>
          <StepForm {...shared} text={now} path={['parts', 1, 'do', 0]} kind="transfer" slots={[]} faults={[]} onText={setNow} onRenamed={() => {}} />
          <pre>{now}</pre>
        </>
      ) // prettier-ignore
    }
    const page = show(<Editing />, { answers: usual })
    const least = () => field(/rows at least/)
    await page.user.clear(least())
    await page.user.type(least(), '5')
    expect(page.text()).toContain('at_least: 5')
    await page.user.clear(least())
    expect(page.text()).toContain('rows: {}')
    // a check is one by its kind, and is taken away where one says so
    await page.user.click(field('title of the step'))
    expect(page.text()).toContain('rows: {}')
    await page.user.click(button('take away'))
    expect(page.text()).not.toContain('check:')
  })

  it('keep what a start is, though nothing is set of it, and drop an optional group that is left empty', async () => {
    const Editing = (): ReactElement => {
      const [now, setNow] = useState(
        setAt(setAt(given, ['starts', 0], { id: 'night', refreshed: {} }), ['parts', 1, 'each', 'arrives'], {
          by: 'due',
        }),
      )
      return (
        <>
          <StartsForm {...shared} text={now} jobs={[]} faults={[]} onText={setNow} />
          <PartForm {...shared} text={now} part={outline(given).parts[1]!} others={[]} faults={[]} onText={setNow} />
          <pre>{now}</pre>
        </>
      ) // prettier-ignore
    }
    const page = show(<Editing />, { answers: { ...usual, previewRoster: fault('document', 'not now') } })
    await page.user.click(screen.getByRole('combobox', { name: /datasets/ }))
    await page.user.click(field('title of the part'))
    expect(page.text()).toContain('refreshed: {}')
    await page.user.clear(field(/arrives by/))
    expect(page.text()).toContain('arrives: {}')
    await page.user.click(field('title of the part'))
    expect(page.text()).not.toContain('arrives: {}')
  })
})
