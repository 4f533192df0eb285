import type { Locator, Page } from 'playwright-core'
import pg from 'pg'
import { Temporal } from 'temporal-polyfill'
import { expect, it } from 'vitest'
import { choose, typeDay } from './fields'
import type { Started } from './started'

/** What the walk through the demo has at hand. */
export interface Walk {
  readonly page: Page
  readonly demo: Started
  accessible(view: string): Promise<void>
  place(name: string): Promise<void>
  heading(name: string | RegExp): Locator
}

/** The demo's newest day that all files have come for. */
export const yesterday = (): string =>
  Temporal.Now.plainDateISO('Europe/Oslo').subtract({ days: 1 }).toString()

/** The part of the walk that builds: control tables, the job sheet, the plan. */
export function walkBuilding(walk: () => Walk): void {
  it('C1: a control table as a spreadsheet: what edits do before they are saved, sort, find, replace, bring in', async () => {
    const { page, accessible, place } = walk()
    await place('Control tables')
    await page.getByRole('link', { name: 'feed_control' }).click()
    await page.getByText('39 rows').waitFor()
    await page.getByLabel('find rows').fill('flow_')
    await page.getByText(/^\d of 39 rows/).waitFor()
    const target = page.getByLabel('target, row 1', { exact: true })
    await target.dblclick({ force: true })
    await page.keyboard.press('Control+a')
    await page.keyboard.type('pressure_reading')
    await page.keyboard.press('Enter')
    // the filter goes, the edit stays, and what it does is told
    await page.getByLabel('find rows').fill('')
    const below = page.getByRole('region', { name: 'what these changes do' })
    await below.getByText('1 load changes').waitFor()
    await below.getByText('raw.pressure_reading').waitFor()
    await page.getByRole('button', { name: 'due, sort by it' }).click()
    await page.getByText('39 rows, by due').waitFor()
    await accessible('control table with edits')
    await page.getByRole('button', { name: 'Replace', exact: true }).click()
    await page.getByRole('textbox', { name: 'find', exact: true }).fill('pressure_reading')
    await page.getByRole('textbox', { name: 'put in its place' }).fill('press_reading')
    await page.getByRole('button', { name: /Replace in \d+ cells/ }).click()
    await below.getByText(/target in \d+, such as/).waitFor()
    await page.keyboard.press('Control+z')
    await below.getByText('1 load changes').waitFor()
    await page.getByRole('button', { name: 'Bring in' }).click()
    await page
      .getByLabel('paste CSV or JSON, or pick a file')
      .fill('feed,district,kind,active\nflow_thornby,thornby,flow,no\nflow_wickfold,wickfold,flow,yes\n')
    await page.getByRole('region', { name: 'what comes in' }).getByText('flow_wickfold').waitFor()
    await accessible('bring in')
    await page.getByRole('button', { name: 'Take in' }).click()
    await page.getByText('40 rows').waitFor()
    await below.getByText('1 load fewer').waitFor()
    await page.getByRole('tab', { name: 'columns and rules' }).click()
    await accessible('columns and rules')
    // nothing of it is kept
    while (await page.getByRole('button', { name: 'Undo' }).isEnabled())
      await page.getByRole('button', { name: 'Undo' }).click()
    await page.getByRole('button', { name: 'Saved', exact: true }).waitFor()
  }, 60_000)

  it('C2: two people in one cell: told cell by cell, nothing lost', async () => {
    const { page, demo, accessible } = walk()
    const note = (row: number) => page.getByLabel(`note, row ${row}`, { exact: true })
    await page.getByLabel('find rows').fill('flow_corrie')
    await page.getByText('1 of 39 rows').waitFor()
    await note(1).dblclick({ force: true })
    await page.keyboard.type('mine')
    await page.keyboard.press('Enter')
    const client = new pg.Client({ connectionString: demo.databaseUrl })
    await client.connect()
    await client.query(
      `update control.feed_control set note = 'theirs', due = '07:15' where feed = 'flow_corrie'`,
    )
    await page.keyboard.press('Control+s')
    await page.getByText('1 row changed while you were editing').waitFor()
    await accessible('conflict')
    await page.getByRole('button', { name: 'mine', exact: true }).click()
    await page.getByRole('button', { name: 'Go on with these' }).click()
    await page.keyboard.press('Control+s')
    await page.getByText('1 change saved').waitFor()
    const { rows } = await client.query(
      `select note, due::text from control.feed_control where feed = 'flow_corrie'`,
    )
    await client.end()
    expect(rows).toEqual([{ note: 'mine', due: '07:15:00' }])
  }, 60_000)

  it('C3: a control table made from the catalog', async () => {
    const { page, accessible, place, heading } = walk()
    await place('Control tables')
    await page.getByRole('button', { name: 'New control table' }).click()
    await page.getByRole('tab', { name: 'from the catalog' }).click()
    await page.getByRole('button', { name: /Pick all [1-9]/ }).click()
    await page.getByLabel(/^name/).fill('all_datasets')
    await page.getByLabel(/^what it says/).fill('All there is')
    await accessible('a new control table')
    await page.getByRole('button', { name: /Make it with \d+ rows/ }).click()
    await heading('all_datasets').waitFor()
  }, 60_000)

  it('C4: a job edited as an outline: a step more, moved, turned off, undone; a roster of files with its rows', async () => {
    const { page, accessible, place } = walk()
    await place('Jobs')
    await page.getByRole('grid', { name: 'jobs' }).getByRole('link', { name: 'Gauge readings' }).click()
    await page.getByRole('button', { name: /note what came/ }).click()
    await page.getByRole('button', { name: 'Add', exact: true }).click()
    await page.getByRole('menuitem', { name: /^check/ }).click()
    await page.getByRole('heading', { name: 'check check' }).waitFor()
    await page.keyboard.press('Alt+ArrowUp')
    const order = () =>
      page.locator('[data-step]').evaluateAll((steps) => steps.map((step) => step.getAttribute('data-step')))
    await expect.poll(order).toEqual(['make-tables', 'bring-in', 'check', 'note-arrival'])
    await page.getByLabel('table', { exact: true }).fill('raw.')
    await page.keyboard.press('Escape')
    await page.getByRole('button', { name: 'Undo' }).click()
    await page.getByRole('button', { name: 'Undo' }).click()
    await expect.poll(order).toEqual(['make-tables', 'bring-in', 'note-arrival', 'check'])
    await page.getByRole('button', { name: 'Undo' }).click()
    await expect.poll(order).toEqual(['make-tables', 'bring-in', 'note-arrival'])
    await page.getByRole('button', { name: /bring in the day/ }).click()
    const into = page.getByLabel('into table', { exact: true })
    await into.fill('raw.{row.tar')
    await page.getByRole('option', { name: 'row.target' }).waitFor()
    await page.keyboard.press('Enter')
    await page.keyboard.type('}_x')
    await page.getByText(/→ raw\.\w+_x/).waitFor()
    await page
      .getByRole('region', { name: 'what the changes do' })
      .getByText(/loads change/)
      .waitFor()
    await accessible('job form')
    await page.getByRole('button', { name: /^each row/ }).click()
    await choose(page, page.getByRole('combobox', { name: 'kind of roster' }), 'files of a store')
    await page.getByLabel('roster files store').fill('gauge-drop')
    await page.getByLabel('roster files named').fill('flow_{district}_{date:yyyyMMdd}.csv')
    await page.keyboard.press('Escape')
    // the key of files is their path; until they are read the rows before them are shown
    await page.getByText('key path').waitFor()
    await page.getByRole('grid', { name: 'rows of the roster' }).getByText('aldmere').first().waitFor()
    await accessible('roster form')
    while (await page.getByRole('button', { name: 'Undo' }).isEnabled())
      await page.getByRole('button', { name: 'Undo' }).click()
    await page.getByRole('button', { name: /about$/ }).click()
    await accessible('about form')
  }, 90_000)

  it('C7: the job as text: what could stand there is offered; what it uses; rows typed in; rules for columns', async () => {
    const { page, accessible } = walk()
    await page.goto(new URL('/jobs/gauge-readings?view=text', page.url()).toString())
    await page.locator('.cm-line', { hasText: 'write: upsert' }).click()
    await page.keyboard.press('End')
    await page.keyboard.press('Enter')
    await page.keyboard.type('unk')
    await takeOffered(page, 'unknown_columns', 'unknown_columns: ')
    await page.keyboard.type('ig')
    await takeOffered(page, 'ignore', 'unknown_columns: ignore')
    await page.getByText('changed, not saved').waitFor()
    await accessible('job as text')
    await page.getByRole('tab', { name: 'outline' }).click()
    await page
      .getByRole('button', { name: /bring in the day/ })
      .first()
      .click()
    await page.getByRole('button', { name: 'Add to done to columns on the way' }).click()
    await page.getByLabel('done to columns on the way 2 columns named').fill('*_code')
    await page.getByRole('button', { name: 'Add to types of a target that is made' }).click()
    await accessible('step form')
    while (await page.getByRole('button', { name: 'Undo' }).isEnabled())
      await page.getByRole('button', { name: 'Undo' }).click()
    await page.getByRole('tab', { name: 'uses' }).click()
    await page.getByRole('region', { name: 'uses' }).getByRole('link', { name: 'feed_control' }).waitFor()
    await accessible('uses of a job')
    await page.goto(new URL('/jobs/work-orders', page.url()).toString())
    await page
      .getByRole('button', { name: /^each row/ })
      .first()
      .click()
    await page.getByRole('button', { name: 'Add a row' }).click()
    await page.getByLabel('source, row 2').fill('field-two')
    await page.getByRole('grid', { name: 'rows of the roster' }).getByText('field-two').waitFor()
    await accessible('rows typed in')
    while (await page.getByRole('button', { name: 'Undo' }).isEnabled())
      await page.getByRole('button', { name: 'Undo' }).click()
  })

  it('C8: jobs brought in: mistakes by line, what is missing in one form', async () => {
    const { page, accessible, place, heading } = walk()
    await place('Jobs')
    await page.locator('.actions').getByRole('link', { name: 'Bring in' }).click()
    const yaml = (name: string, buffer: string) => ({
      name,
      mimeType: 'text/yaml',
      buffer: Buffer.from(buffer),
    })
    const document = `mattock: job/1
name: brought
title: Brought in
parts:
  - each: {roster: {control: brought_control, where: row.active, key: [source]}}
    do:
      - id: bring-in
        transfer:
          from: {store: mailbox, files: "{env.begin}_{row.source}.csv"}
          into: {connection: dw, table: "raw.{row.target}", write: append}
`
    await page.getByLabel('documents to bring in').setInputFiles([yaml('good.yaml', document), yaml('bad.yaml', 'mattock: job/1\nname: bad\ntitle: B\nparts: 7')]) // prettier-ignore
    await page.getByText('1 mistake').waitFor()
    await page.getByText('line 4').waitFor()
    await page
      .getByRole('row', { name: /bad.yaml/ })
      .getByRole('button', { name: 'leave out' })
      .click()
    await page.getByRole('heading', { name: /Missing in staging/ }).waitFor()
    await page.getByRole('button', { name: 'Bring 1 job in' }).click()
    await page.getByText('Nothing was brought in.').waitFor()
    await accessible('what is missing')
    await page.getByLabel('value of begin').fill('flow')
    await page.getByLabel('mailbox folder').fill('/var/mail')
    await choose(page, page.getByRole('combobox', { name: 'what dw is here' }), 'is warehouse here')
    await page.getByLabel('source is part of the key').check()
    await page.getByRole('button', { name: 'Bring 1 job in' }).click()
    await page.waitForURL(/\/jobs\/brought/)
    await heading('Brought in').waitFor()
  })

  it('C6: a try: a row up to a step, held, gone on, what went in and came out, taken away', async () => {
    const { page, accessible } = walk()
    await page.goto(new URL('/jobs/gauge-readings', page.url()).toString())
    await page.getByRole('heading', { level: 1, name: 'Gauge readings' }).waitFor()
    await page.keyboard.press('t')
    const form = page.getByRole('form', { name: 'what to try' })
    await form.getByText('of 27; 20 at most').first().waitFor()
    await form.getByLabel('up to').click()
    await page.getByRole('option', { name: 'note what came' }).click()
    await form.getByLabel(/^rows/).fill('flow_corr')
    await page.getByRole('option', { name: 'flow_corrie' }).click()
    await form.getByRole('button', { name: 'chlorine_aldmere' }).press('Delete')
    await typeDay(form, 'and the slice from', yesterday())
    await form.getByLabel('bring in the day').check()
    await accessible('try form')
    await form.getByRole('button', { name: /^Try 1 row/ }).click()
    await page.waitForURL(/\/tries\//)
    await page.getByRole('button', { name: 'Go on' }).waitFor()
    await page.getByRole('grid', { name: /rows that came out, raw.flow_reading/ }).getByText('CO-F01').first().waitFor() // prettier-ignore
    await accessible('try, held')
    await page.keyboard.press('g')
    await page.getByRole('grid', { name: /rows that came out, raw.arrival/ }).getByText('flow_corrie').first().waitFor() // prettier-ignore
    await page.getByRole('button', { name: 'take it away now' }).click()
    await page.getByText('was taken away').waitFor()
    await accessible('try, done')
  })

  it('C5: a plan: one load, held against another, its forecast with other caps, taken out', async () => {
    const { page, demo, accessible } = walk()
    const made = async (body: object) => {
      const answer = await fetch(`${demo.url}/api/plans`, {
        method: 'POST',
        headers: { authorization: `Bearer ${demo.token}`, 'content-type': 'application/json' },
        body: JSON.stringify({ job: 'gauge-readings', environment: 'live', ...body }),
      })
      return ((await answer.json()) as { id: number }).id
    }
    const first = await made({ only: "row.district == 'corrie'" })
    const id = await made({ parameters: { region: 'all' } })
    expect(id).toBeGreaterThan(first)
    await page.goto(`${demo.url}/plans/${id}`)
    await page
      .getByRole('grid', { name: 'loads of the plan' })
      .getByText('flow_corrie', { exact: true })
      .click()
    await page.getByRole('region', { name: 'one load' }).getByText('raw.flow_reading').waitFor()
    await accessible('one load of a plan')
    await page.keyboard.press('Escape')
    await page.getByRole('tab', { name: 'compared' }).click()
    await page.getByRole('tab', { name: /\d+ added/ }).waitFor()
    await accessible('plans compared')
    await page.getByRole('tab', { name: 'forecast' }).click()
    await page.getByText(/likely, between/).waitFor()
    await page.getByRole('spinbutton', { name: 'loads at once' }).fill('1')
    await page.getByRole('button', { name: 'See it with these' }).click()
    await page.getByRole('cell', { name: '1 at once', exact: true }).waitFor()
    await accessible('forecast')
    const take = async (as: string) =>
      await (
        await fetch(`${demo.url}/api/plans/${id}/file?as=${as}`, {
          headers: { authorization: `Bearer ${demo.token}` },
        })
      ).text()
    expect((await take('csv')).split('\r\n')[0]).toMatch(/^load,slice_from,slice_to,feed,/)
    expect(JSON.parse(await take('sarif'))).toMatchObject({ version: '2.1.0' })
    expect(JSON.parse(await take('json'))).toMatchObject({ plan: id, job: 'gauge-readings' })
  }, 60_000)
}

/** Takes what the editor offers; one that has only just come is not taken by a click, against slips, so clicks again. */
async function takeOffered(page: Page, option: string, line: string): Promise<void> {
  const offered = page.locator('.cm-tooltip-autocomplete').getByText(option)
  await offered.waitFor()
  const taken = async () => {
    if (await offered.isVisible()) await offered.click()
    return await page.locator('.cm-line', { hasText: line }).count()
  }
  await expect.poll(taken, { timeout: 10_000 }).toBe(1)
}
