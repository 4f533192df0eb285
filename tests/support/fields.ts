import type { Locator, Page } from 'playwright-core'

/** Picks an option of a choice, as a person does: it is opened, and the option pressed. */
export async function choose(page: Page, field: Locator, option: string | RegExp): Promise<void> {
  await field.click()
  await page.getByRole('option', { name: option, exact: typeof option === 'string' }).click()
}

/** Types a day into a field of days, part by part. */
export async function typeDay(within: Page | Locator, label: string, day: string): Promise<void> {
  const field = within.getByRole('group', { name: label })
  await field.getByRole('spinbutton', { name: 'Year' }).click()
  const page = 'keyboard' in within ? within : within.page()
  await page.keyboard.type(day.replaceAll('-', ''))
}

/** The day that stands in a field of days. */
export async function dayIn(within: Page | Locator, label: string): Promise<string> {
  const parts = await within.getByRole('group', { name: label }).getByRole('spinbutton').allInnerTexts()
  return parts.map((part) => part.replace(/\D/g, '')).join('-')
}
