import pg from 'pg'
import { expect, it } from 'vitest'
import type { Walk } from './walk'

export function editing(walk: () => Walk): void {
  it('a control table: edit, rules, save, history, and what psql changes', async () => {
    const { page, demo, accessible, place } = walk()
    await place('Control tables')
    await page.getByRole('link', { name: 'feed_control' }).waitFor()
    await accessible('control tables')
    await page.getByRole('link', { name: 'feed_control' }).click()
    await page.getByText('39 rows').waitFor()
    const cell = page.locator('.dsg-row').nth(1).locator('.dsg-cell').nth(4)
    await cell.dblclick()
    await page.keyboard.press('Control+a')
    await page.keyboard.type('flwo')
    await page.keyboard.press('Enter')
    expect(await page.getByRole('button', { name: '1 row to mend' }).isDisabled()).toBe(true)
    await page.getByRole('tab', { name: '1 not saved' }).click()
    await page.getByText('kind is one of flow, pressure').waitFor()
    await accessible('control table')
    await page.getByRole('button', { name: 'put back' }).click()
    await page.getByRole('button', { name: 'Saved', exact: true }).waitFor()
    const note = page.locator('.dsg-row').nth(1).locator('.dsg-cell').nth(9)
    await note.dblclick()
    await page.keyboard.type('seen by hand')
    await page.keyboard.press('Enter')
    await page.keyboard.press('Control+s')
    await page.getByText('1 change saved').waitFor()
    await page.getByRole('tab', { name: 'history', exact: true }).click()
    await page.getByRole('region', { name: 'history' }).getByText('seen by hand').waitFor()
    const client = new pg.Client({ connectionString: demo.databaseUrl })
    await client.connect()
    await client.query(
      `update control.feed_control set note = 'changed by psql' where feed = 'chlorine_brackwell'`,
    )
    await client.end()
    await page.getByRole('button', { name: 'Refresh' }).click()
    await expect
      .poll(
        async () =>
          await page
            .locator('.dsg-row input')
            .evaluateAll((inputs) =>
              inputs.some((input) => (input as HTMLInputElement).value === 'changed by psql'),
            ),
      )
      .toBe(true)
  }, 60_000)
}

export function spreadsheet(walk: () => Walk): void {
  it('a control table as a spreadsheet: what edits do before they are saved, sort, find, replace, bring in', async () => {
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
}

export function twoPeople(walk: () => Walk): void {
  it('two people in one cell: told cell by cell, nothing lost', async () => {
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
}

export function fromCatalog(walk: () => Walk): void {
  it('a control table made from the catalog', async () => {
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
}
