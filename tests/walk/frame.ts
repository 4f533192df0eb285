import { it } from 'vitest'
import type { Walk } from './walk'

export function goTo(walk: () => Walk): void {
  it('goes anywhere by a few letters, and lists its keys', async () => {
    const { page } = walk()
    await page.keyboard.press('/')
    await page.getByRole('combobox', { name: 'go to' }).fill('regis')
    await page.getByRole('option', { name: /registry_control/ }).waitFor()
    await page.keyboard.press('Enter')
    await page.waitForURL(/\/(jobs|control)\/registry/)
    await page.keyboard.press('Escape')
    await page.locator('h1').first().click()
    await page.keyboard.press('?')
    await page.getByRole('dialog', { name: 'Keys' }).waitFor()
  })
}
