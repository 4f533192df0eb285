import type { Answer } from '../../../contract/route'
import type { routes } from '../../../contract/routes'
import type { Role, Right } from '../../../core/rights'

export type Person = Answer<typeof routes.people>[number]

/** What each kind of account may do, in words. */
export const roleWords: Readonly<Record<Role, string>> = {
  reader: 'looks',
  operator: 'looks and runs',
  engineer: 'looks, runs and builds',
  keeper: 'looks, runs, builds and runs the house',
}

/** What a token may be for, in words. */
export const rightWords: Readonly<Record<Right, string>> = {
  look: 'looking',
  run: 'looking and running',
  build: 'looking, running and building',
  house: 'all that I may do',
}

const browsers = [['Firefox/', 'Firefox'], ['Edg/', 'Edge'], ['OPR/', 'Opera'], ['Chrome/', 'Chromium'], ['Safari/', 'Safari']] as const // prettier-ignore
const systems = [['Android', 'Android'], ['iPhone', 'iPhone'], ['iPad', 'iPad'], ['Windows', 'Windows'], ['Mac OS', 'macOS'], ['Linux', 'Linux']] as const // prettier-ignore

/** The browser and the system that a user-agent text names, as people call them (RFC 9110, 10.1.5: it is a hint only). */
export function agentText(agent: string): string {
  const found = (list: readonly (readonly [string, string])[]) =>
    list.find(([mark]) => agent.includes(mark))?.[1]
  const [browser, system] = [found(browsers), found(systems)]
  if (browser === undefined) return agent === '' ? 'an unknown browser' : agent.slice(0, 40)
  return system === undefined ? browser : `${browser} on ${system}`
}
