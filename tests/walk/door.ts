import { it } from 'vitest'
import type { Walk } from './walk'

export function signIn(walk: () => Walk): void {
  it('signs in with a shown account', async () => {
    const { page, accessible, heading } = walk()
    await page.getByText('Accounts of this demo').waitFor()
    await accessible('sign-in')
    await page.getByRole('button', { name: 'Enter as keeper' }).click()
    await heading('Morning sheet').waitFor()
  })
}
