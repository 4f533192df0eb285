import { it } from 'vitest'
import { typeDay } from '../support/fields'
import { yesterday, type Walk } from './walk'

export function heldAndGoneOn(walk: () => Walk): void {
  it('a try: a row up to a step, held, gone on, what went in and came out, taken away', async () => {
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
}
