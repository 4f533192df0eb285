import { it } from 'vitest'
import { choose } from '../support/fields'
import type { Walk } from './walk'

export function survey(walk: () => Walk): void {
  it('a survey shows what it would change, and the catalog takes it in', async () => {
    const { page, accessible } = walk()
    await page.getByRole('button', { name: /Survey all of it/ }).click()
    await accessible('survey form')
    await page.getByRole('button', { name: 'Start' }).click()
    await page.getByRole('button', { name: 'Accept all 6' }).waitFor()
    await page.getByText('gauge-drop.level').first().click()
    await page.getByRole('grid', { name: 'columns' }).getByText('metres').waitFor()
    await accessible('survey')
    await page.getByRole('tab', { name: /strays \d/ }).click()
    await page.getByText('a PNG picture, not a table').waitFor()
    await page.getByRole('tab', { name: /would change/ }).click()
    // one piece first, by the keyboard, then the rest
    await page.getByRole('grid', { name: 'what would change' }).focus()
    await page.keyboard.press('x')
    await page.getByRole('button', { name: 'Accept 1' }).click()
    await page.getByRole('button', { name: 'Accept all 5' }).click()
    await page.getByText('accepted').nth(5).waitFor()
  })
}

export function dataset(walk: () => Walk): void {
  it('the catalog: search, a dataset, its columns by hand, its profile and rows', async () => {
    const { page, accessible, place, heading } = walk()
    await place('Catalog')
    await page.getByText('6 datasets in staging').waitFor()
    await accessible('catalog')
    await page.getByLabel('search the catalog').fill('metres')
    await page.getByText('1 dataset in staging').waitFor()
    await page.getByRole('link', { name: 'gauge-drop.level' }).click()
    await heading('gauge-drop.level').waitFor()
    await page.getByRole('button', { name: 'Edit the columns' }).click()
    await page.getByLabel('description of metres').fill('above the gauge’s zero')
    await page.getByLabel('meter is of the key').check()
    await page.getByRole('button', { name: 'Save' }).click()
    await page.getByText('above the gauge’s zero').waitFor()
    await accessible('dataset')
    await page.getByRole('tab', { name: 'profile' }).click()
    await page.getByRole('button', { name: 'Profile it' }).click()
    await page.getByText(/over all/).waitFor()
    await accessible('profile')
    await page.getByRole('tab', { name: 'rows', exact: true }).click()
    await page.getByRole('grid', { name: 'sample rows' }).getByText(/-L0\d/).first().waitFor()
    await page.getByRole('tab', { name: /^files/ }).click()
    await page
      .getByRole('grid', { name: 'files' })
      .getByText(/level_/)
      .first()
      .waitFor()
  })
}

export function oneJob(walk: () => Walk): void {
  it('one job for datasets that were picked', async () => {
    const { page, accessible, place, heading } = walk()
    await place('Catalog')
    await page.getByText('6 datasets in staging').waitFor()
    await page.getByRole('grid', { name: 'datasets' }).getByRole('checkbox').nth(2).waitFor()
    await page.getByRole('grid', { name: 'datasets' }).focus()
    for (const key of ['x', 'j', 'x', 'j', 'x']) await page.keyboard.press(key)
    await page.getByRole('button', { name: 'One job for these 3' }).click()
    await page.getByLabel('Its name').fill('drop-copy')
    await page.getByText('3 rows, each a load').waitFor()
    await accessible('one job for datasets')
    await page.getByRole('button', { name: 'Make it' }).click()
    await page.waitForURL(/\/jobs\/drop-copy/)
    await heading('Bring in').waitFor()
    await page.getByRole('button', { name: 'Plan', exact: true }).click()
    await page.getByRole('button', { name: 'Plan in staging' }).click()
    await page.waitForURL(/\/plans\//)
    await page
      .getByText(/3 loads/)
      .first()
      .waitFor()
  })
}

export function mapping(walk: () => Walk): void {
  it('the mapping of columns beside a transfer', async () => {
    const { page, demo, accessible } = walk()
    await page.goto(`${demo.url}/jobs/gauge-readings`)
    await page.getByRole('button', { name: 'Map the columns' }).click()
    await page.getByText('which will be made').waitFor()
    await accessible('mapping')
    await choose(page, page.getByRole('combobox', { name: 'source of state' }), 'meter')
    await page.getByText('changed, not saved').waitFor()
    await page.getByRole('button', { name: 'Undo' }).click()
  })
}
