import { existsSync, mkdtempSync, readFileSync, rmSync } from 'node:fs'
import { createRequire } from 'node:module'
import { join } from 'node:path'
import { tmpdir } from 'node:os'
import { chromium, type BrowserContext, type Page } from 'playwright-core'
import pg from 'pg'
import { afterAll, afterEach, beforeAll, describe, expect, it } from 'vitest'
import { startDemo, type Started } from './support/started'
import { choose, dayIn, typeDay } from './support/fields'
import { walkBuilding, yesterday } from './support/walkBuilding'

let demo: Started
let browser: BrowserContext
let page: Page
const profile = mkdtempSync(join(tmpdir(), 'mattock-browser-'))
const errors: string[] = []
const axe = readFileSync(createRequire(import.meta.url).resolve('axe-core/axe.min.js'), 'utf8')

beforeAll(async () => {
  demo = await startDemo('walk', true)
  browser = await chromium.launchPersistentContext(profile, {
    executablePath: '/usr/bin/chromium',
    headless: true,
    viewport: { width: 1280, height: 800 },
    bypassCSP: true,
    args: [
      '--no-sandbox',
      '--disable-gpu',
      '--disable-quic',
      '--no-first-run',
      '--disable-background-networking',
      '--disable-component-update',
      '--disable-sync',
    ],
  })
  page = await browser.newPage()
  page.setDefaultTimeout(20_000)
  page.on('pageerror', (error) => errors.push(error.message))
  // the history is being made; what the walk looks at is there when yesterday's files are
  const file = join(demo.data, 'gauge-drop', `flow_corrie_${yesterday().replaceAll('-', '')}.csv`)
  for (let i = 0; i < 1200 && !existsSync(file); i++) await new Promise((resolve) => setTimeout(resolve, 100))
  await page.goto(demo.url)
}, 240_000)
afterAll(async () => {
  await browser?.close()
  rmSync(profile, { recursive: true, force: true })
  await demo?.stop()
})

// what stood on the page when a step failed, so that a failure elsewhere can be read
afterEach(async ({ task }) => {
  if (task.result?.state !== 'fail') return
  const name = `mattock-walk-${task.name.replaceAll(/[^a-z0-9]+/gi, '-').slice(0, 40)}.png`
  await page.screenshot({ path: join(tmpdir(), name) })
  const said = await page.locator('[role=alert], [role=status]').allInnerTexts()
  console.error(
    `failed at ${new URL(page.url()).pathname}; picture: ${name}; said there: ${said.join(' | ')}`,
  )
})

/** axe-core's rules for WCAG 2.2, levels A and AA. */
async function accessible(view: string): Promise<void> {
  await page.evaluate(axe)
  const found = await page.evaluate(async () => {
    const { axe: tool } = window as unknown as {
      axe: {
        run(
          context: Document,
          options: object,
        ): Promise<{ violations: { id: string; nodes: { target: unknown[]; failureSummary?: string }[] }[] }>
      }
    }
    const { violations } = await tool.run(document, {
      runOnly: ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa'],
    })
    return violations.map(
      ({ id, nodes }) =>
        `${id}: ${nodes
          .slice(0, 3)
          .map(({ target, failureSummary }) => `${target.join(' ')} (${failureSummary ?? ''})`)
          .join(' | ')}`,
    )
  })
  expect(found, view).toEqual([])
}

const heading = (name: string | RegExp) => page.getByRole('heading', { level: 1, name })
const place = (name: string) =>
  page.getByRole('navigation', { name: 'places' }).getByRole('link', { name }).click()

describe('a walk through the demo', () => {
  it('signs in with a shown account', async () => {
    await page.getByText('Accounts of this demo').waitFor()
    await accessible('sign-in')
    await page.getByRole('button', { name: 'Enter as engineer' }).click()
    await heading('Morning sheet').waitFor()
  })

  it('1: connections, their settings and tests', async () => {
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
    await page.getByRole('button', { name: /Save for dev/ }).click()
    await page.getByRole('button', { name: 'Test it' }).click()
    await page.getByText('does not work').waitFor()
    await page.getByRole('button', { name: 'Change', exact: true }).click()
    await page.getByLabel('settings here port').fill(String(new URL(demo.databaseUrl).port))
    await page.getByRole('button', { name: /Save for dev/ }).click()
    await page.getByRole('button', { name: 'Test it' }).click()
    await page.getByText(/works, in/).waitFor()
  })

  it('2: a control table: edit, rules, save, history, and what psql changes', async () => {
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

  it('3: a job: outline, a row and a day, every text resolved; text with mistakes at their line; a new version', async () => {
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

  it('4: a plan: the loads, what differs, findings, loads left out, a stop that stops', async () => {
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

  it('5: a run: balance, loads along time, a load whole, causes, rerun of what failed', async () => {
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
    await page.getByRole('button', { name: /Rerun the/ }).click()
    await page.getByText('a rerun of').waitFor()
  }, 120_000)

  it('B1: what is in a connection, and its first rows', async () => {
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

  it('B2: a survey shows what it would change, and the catalog takes it in', async () => {
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

  it('B3: the catalog: search, a dataset, its columns by hand, its profile and rows', async () => {
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

  it('B4: one job for datasets that were picked', async () => {
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

  it('B5: the mapping of columns beside a transfer', async () => {
    await page.goto(`${demo.url}/jobs/gauge-readings`)
    await page.getByRole('button', { name: 'Map the columns' }).click()
    await page.getByText('which will be made').waitFor()
    await accessible('mapping')
    await choose(page, page.getByRole('combobox', { name: 'source of state' }), 'meter')
    await page.getByText('changed, not saved').waitFor()
    await page.getByRole('button', { name: 'Undo' }).click()
  })

  walkBuilding(() => ({ page, demo, accessible, place, heading }))

  it('6: the ledger and the morning sheet', async () => {
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

  it('goes anywhere by a few letters, and lists its keys', async () => {
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

  it('met no error in any page', () => expect(errors).toEqual([]))
})
