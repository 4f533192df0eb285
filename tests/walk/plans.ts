import { expect, it } from 'vitest'
import { dayIn, typeDay } from '../support/fields'
import type { Walk } from './walk'

export function made(walk: () => Walk): void {
  it('a plan: the loads, what differs, findings, loads left out, a stop that stops', async () => {
    const { page, accessible, heading } = walk()
    await page.getByRole('button', { name: 'Plan', exact: true }).click()
    await page.getByLabel('only loads where').fill(`row.distrct == 'corrie'`)
    await page.getByRole('button', { name: 'Plan in dev' }).click()
    await page
      .getByText('row.distrct does not exist; did you mean row.district?', { exact: false })
      .first()
      .waitFor()
    expect(await page.getByRole('button', { name: /Run \d+ loads/ }).isDisabled()).toBe(true)
    await accessible('plan with a stop')
    await page.goBack()
    await page.getByRole('button', { name: 'Plan', exact: true }).click()
    await page.getByLabel('only loads where').fill(`row.district == 'corrie' || row.district == 'hexley'`)
    const day = new Date(new Date(await dayIn(page, 'first day')).getTime() - 2 * 86_400_000)
      .toISOString()
      .slice(0, 10)
    await typeDay(page, 'first day', day)
    await page.getByText('3 days').waitFor()
    await page.getByRole('button', { name: 'Plan in dev' }).click()
    await page.getByText('the same in all:').waitFor()
    await page.getByText('no file matches').first().waitFor()
    await accessible('plan')
    const grid = page.getByRole('grid', { name: 'loads of the plan' })
    await grid.focus()
    await page.keyboard.press('j')
    await page.keyboard.press('x')
    await page.getByText('1 left out').waitFor()
    await page.getByRole('button', { name: /Run \d+ loads/ }).click()
    await heading(/Gauge readings, run/).waitFor()
  }, 60_000)
}

export function compared(walk: () => Walk): void {
  it('a plan: one load, held against another, its forecast with other caps, taken out', async () => {
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
