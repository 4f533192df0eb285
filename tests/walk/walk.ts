import { readFileSync } from 'node:fs'
import { createRequire } from 'node:module'
import type { Locator, Page } from 'playwright-core'
import { Temporal } from 'temporal-polyfill'
import { expect } from 'vitest'
import type { Started } from '../support/started'

/** What the walk through the demo has at hand. */
export interface Walk {
  readonly page: Page
  readonly demo: Started
  accessible(view: string): Promise<void>
  place(name: string): Promise<void>
  heading(name: string | RegExp): Locator
}

/** The demo's newest day that all files have come for. */
export const yesterday = (): string =>
  Temporal.Now.plainDateISO('Europe/Oslo').subtract({ days: 1 }).toString()

const axe = readFileSync(createRequire(import.meta.url).resolve('axe-core/axe.min.js'), 'utf8')

/** axe-core's rules for WCAG 2.2, levels A and AA. */
export async function accessible(page: Page, view: string): Promise<void> {
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
