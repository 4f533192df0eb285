import { it } from 'vitest'
import type { Walk } from './walk'

export function settings(walk: () => Walk): void {
  it('connections, their settings and tests', async () => {
    const { page, demo, accessible, place } = walk()
    await page.getByRole('button', { name: 'dev', exact: true }).click()
    await place('Connections')
    await page.getByRole('grid', { name: 'connections' }).getByText('warehouse', { exact: true }).click()
    await page.getByText('kept, encrypted; it is never shown').waitFor()
    await page.getByRole('button', { name: 'Test it' }).click()
    await page.getByText(/works, in/).waitFor()
    for (const step of ['name resolves', 'port answers', 'signs in', 'can read', 'can write'])
      await page.getByRole('cell', { name: step, exact: true }).waitFor()
    await accessible('connections')
    await page.getByRole('button', { name: 'Change', exact: true }).click()
    await page.getByLabel('settings here port').fill('1')
    // a password belongs to the server it was given for
    await page.getByRole('button', { name: /Save for dev/ }).click()
    await page
      .getByText(/give it again for/)
      .first()
      .waitFor()
    await page.getByLabel('password').fill('another')
    await page.getByRole('button', { name: /Save for dev/ }).click()
    await page.getByRole('button', { name: 'Test it' }).click()
    await page.getByText('does not work').waitFor()
    await page.getByRole('button', { name: 'Change', exact: true }).click()
    const { port, password } = new URL(demo.databaseUrl)
    await page.getByLabel('settings here port').fill(port)
    await page.getByLabel('password').fill(decodeURIComponent(password))
    await page.getByRole('button', { name: /Save for dev/ }).click()
    await page.getByRole('button', { name: 'Test it' }).click()
    await page.getByText(/works, in/).waitFor()
  })
}

export function content(walk: () => Walk): void {
  it('what is in a connection, and its first rows', async () => {
    const { page, accessible, place } = walk()
    await page.getByRole('button', { name: 'staging', exact: true }).click()
    await place('Connections')
    await page.getByRole('grid', { name: 'connections' }).getByText('fieldwork', { exact: true }).click()
    await page.getByText('HTTP JSON service', { exact: true }).last().waitFor()
    await page.getByRole('button', { name: 'Test it' }).click()
    await page.getByText(/works, in/).waitFor()
    await page.getByRole('grid', { name: 'connections' }).getByText('gauge-drop', { exact: true }).click()
    await page.getByRole('link', { name: 'what is in it' }).click()
    const content = page.getByRole('grid', { name: /content of gauge-drop/ })
    await page.getByLabel('find here').fill('press_corrie')
    await content.getByRole('row').nth(1).click()
    await page
      .getByRole('grid', { name: /first rows/ })
      .getByText('bar', { exact: true })
      .waitFor()
    await accessible('content of a connection')
    await page.getByLabel('find here').fill('site-photo')
    await content.getByText('site-photo.png').click()
    await page.getByText('a PNG picture, not a table').waitFor()
  })
}
