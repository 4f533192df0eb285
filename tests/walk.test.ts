import { existsSync, mkdtempSync } from 'node:fs'
import { join } from 'node:path'
import { tmpdir } from 'node:os'
import { chromium, type BrowserContext, type Page } from 'playwright-core'
import { afterAll, afterEach, beforeAll, describe, expect, it } from 'vitest'
import { browserFlags } from './support/browser'
import { removeFolder } from './support/folder'
import { startDemo, type Started } from './support/started'
import * as catalog from './walk/catalog'
import * as connections from './walk/connections'
import * as control from './walk/control'
import * as door from './walk/door'
import * as frame from './walk/frame'
import * as jobs from './walk/jobs'
import * as plans from './walk/plans'
import * as runs from './walk/runs'
import * as tries from './walk/tries'
import { accessible, yesterday, type Walk } from './walk/walk'

let demo: Started
let browser: BrowserContext
let page: Page
const profile = mkdtempSync(join(tmpdir(), 'mattock-browser-'))
const errors: string[] = []

beforeAll(async () => {
  demo = await startDemo('walk', true)
  browser = await chromium.launchPersistentContext(profile, {
    executablePath: '/usr/bin/chromium',
    headless: true,
    viewport: { width: 1280, height: 800 },
    bypassCSP: true,
    args: browserFlags,
  })
  page = await browser.newPage()
  page.setDefaultTimeout(60_000)
  page.on('pageerror', (error) => errors.push(error.message))
  // the history is being made; what the walk looks at is there when yesterday's files are
  const file = join(demo.data, 'gauge-drop', `flow_corrie_${yesterday().replaceAll('-', '')}.csv`)
  for (let i = 0; i < 1200 && !existsSync(file); i++) await new Promise((resolve) => setTimeout(resolve, 100))
  await page.goto(demo.url)
})
afterAll(async () => {
  await browser?.close()
  await removeFolder(profile)
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

const heading = (name: string | RegExp) => page.getByRole('heading', { level: 1, name })
const place = (name: string) =>
  page.getByRole('navigation', { name: 'places' }).getByRole('link', { name }).click()

const walk = (): Walk => ({ page, demo, accessible: (view) => accessible(page, view), place, heading })

// one walk through one demo, in this order: what is made in one place is looked at in the next
describe('a walk through the demo', () => {
  door.signIn(walk)
  connections.settings(walk)
  control.editing(walk)
  jobs.outline(walk)
  plans.made(walk)
  runs.seen(walk)
  connections.content(walk)
  catalog.survey(walk)
  catalog.dataset(walk)
  catalog.oneJob(walk)
  catalog.mapping(walk)
  control.spreadsheet(walk)
  control.twoPeople(walk)
  control.fromCatalog(walk)
  jobs.editing(walk)
  jobs.text(walk)
  jobs.bringIn(walk)
  tries.heldAndGoneOn(walk)
  plans.compared(walk)
  runs.ledger(walk)
  frame.goTo(walk)

  it('met no error in any page', () => expect(errors).toEqual([]))
})
