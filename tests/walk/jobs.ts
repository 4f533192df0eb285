import type { Page } from 'playwright-core'
import { expect, it } from 'vitest'
import { choose } from '../support/fields'
import type { Walk } from './walk'

export function outline(walk: () => Walk): void {
  it('a job: outline, a row and a day, every text resolved; text with mistakes at their line; a new version', async () => {
    const { page, accessible, place } = walk()
    await place('Jobs')
    await page.getByRole('grid', { name: 'jobs' }).getByRole('link', { name: 'Gauge readings' }).waitFor()
    await accessible('jobs')
    await page.getByRole('grid', { name: 'jobs' }).getByRole('link', { name: 'Gauge readings' }).click()
    await page.getByText('→ raw.').waitFor()
    const row = page.getByLabel(/with row/)
    await row.fill('corrie')
    await page.getByRole('option', { name: 'flow_corrie' }).click()
    await page.getByText(/→ flow_corrie_\d{8}\*\.csv/).waitFor()
    await page.getByText(/✓ flow_corrie_\d{8}\.csv/).waitFor()
    await accessible('job outline')
    await page.getByRole('tab', { name: 'text', exact: true }).click()
    await page.locator('.cm-content').click()
    await page.keyboard.press('Control+End')
    await page.keyboard.type('nots: x')
    await page
      .getByText('nothing here is called "nots"; did you mean "note"?', { exact: false })
      .first()
      .waitFor()
    await expect.poll(() => page.getByRole('button', { name: 'Save version 2' }).isDisabled()).toBe(true)
    await accessible('job text')
    for (let i = 0; i < 7; i++) await page.keyboard.press('Backspace')
    await page.keyboard.type('# seen')
    await page.getByText('changed, not saved').waitFor()
    await page.keyboard.press('Control+s')
    await page.getByText('version 2', { exact: true }).waitFor()
  }, 60_000)
}

export function editing(walk: () => Walk): void {
  it('a job edited as an outline: a step more, moved, turned off, undone; a roster of files with its rows', async () => {
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
    await page
      .getByText(/→ raw\.\w+_x/)
      .first()
      .waitFor()
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
}

export function text(walk: () => Walk): void {
  it('the job as text: what could stand there is offered; what it uses; rows typed in; rules for columns', async () => {
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
}

export function bringIn(walk: () => Walk): void {
  it('jobs brought in: mistakes by line, what is missing in one form', async () => {
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
    await page.getByLabel('mailbox folder').fill(`${walk().demo.data}/gauge-drop`)
    await choose(page, page.getByRole('combobox', { name: 'what dw is here' }), 'is warehouse here')
    await page.getByLabel('source is part of the key').check()
    await page.getByRole('button', { name: 'Bring 1 job in' }).click()
    await page.waitForURL(/\/jobs\/brought/)
    await heading('Brought in').waitFor()
  })
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
