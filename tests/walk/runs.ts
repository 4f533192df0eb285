import { expect, it } from 'vitest'
import type { Walk } from './walk'

export function seen(walk: () => Walk): void {
  it('a run: balance, loads along time, a load whole, causes, rerun of what failed', async () => {
    const { page, accessible } = walk()
    await page.getByRole('button', { name: /Rerun the/ }).waitFor({ timeout: 60_000 })
    await page.getByText(/balances for all/).waitFor()
    await page.getByRole('region', { name: 'Why' }).waitFor()
    await accessible('run')
    await page.getByRole('tab', { name: 'in the order they started' }).click()
    await page.getByLabel('find a load').fill('flow_corrie')
    await page
      .getByRole('row', { name: /flow_corrie/ })
      .first()
      .click()
    const detail = page.getByRole('region', { name: 'the chosen load' })
    await detail
      .getByText(/sha256/)
      .first()
      .waitFor()
    await detail
      .getByRole('button', { name: /statements/ })
      .first()
      .click()
    await detail.getByText('on conflict ("meter", "read_at") do update', { exact: false }).waitFor()
    await accessible('load detail')
    await page.keyboard.press('Escape')
    await detail.getByRole('tab', { name: 'log' }).click()
    await detail.getByLabel('find in the log').fill('on conflict')
    await detail
      .getByRole('status')
      .filter({ hasText: /^[1-9] of/ })
      .waitFor()
    await page.getByRole('button', { name: 'count again' }).click()
    await page
      .getByRole('region', { name: 'counted again' })
      .getByText(/as (it was|they were) left/)
      .first()
      .waitFor()
    await accessible('run, counted again')
    await page.getByRole('button', { name: /Rerun the/ }).click()
    await page.getByRole('radio', { name: /each from its first step/ }).click()
    await page.getByRole('cell', { name: 'bring-in' }).waitFor()
    await accessible('rerun')
    await page.getByRole('button', { name: /Rerun \d+ loads?/ }).click()
    await page.getByRole('link', { name: /^rerun of/ }).waitFor()
  }, 120_000)
}

export function ledger(walk: () => Walk): void {
  it('the ledger and the morning sheet', async () => {
    const { page, accessible, place } = walk()
    await page.getByRole('button', { name: 'live', exact: true }).click()
    await place('Ledger')
    await page.getByRole('grid', { name: 'runs' }).getByRole('row').nth(3).waitFor()
    await accessible('ledger')
    await page.getByLabel('State').click()
    await page.getByRole('option', { name: 'failed' }).click()
    await expect
      .poll(
        async () =>
          await page.getByRole('grid', { name: 'runs' }).getByText('failed', { exact: true }).count(),
        { timeout: 90_000 },
      )
      .toBeGreaterThan(0)
    await place('Morning sheet')
    await page.getByText('Needs a decision').waitFor()
    await accessible('morning sheet')
    await page.getByRole('button', { name: /I\. Marek/ }).click()
    await page.getByRole('menuitem', { name: 'night sheet' }).click()
    await page.keyboard.press('Escape')
    await accessible('night sheet')
  }, 150_000)
}
