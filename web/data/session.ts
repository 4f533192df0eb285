import { createContext, useContext } from 'react'
import type { Answer } from '../../contract/route'
import { may, type Right } from '../../core/rights'
import type { routes } from '../../contract/routes'

export type Session = Answer<typeof routes.session>

export interface Here {
  readonly session: Session
  readonly environment: string
  readonly live: boolean
  setEnvironment(name: string): void
  readonly night: boolean
  setNight(night: boolean): void
  signOut(): void
}

export const HereContext = createContext<Here | null>(null)

/** Who is signed in, and in which environment they look. */
export function useHere(): Here {
  const here = useContext(HereContext)
  if (!here) throw new Error('no session here')
  return here
}

/** May this account do something, in an environment where that counts? */
export function useMay(right: Right, environment?: string): boolean {
  const { account } = useHere().session
  return account !== null && may(account, right, environment)
}

/** May this account do something in any environment? */
export function useMaySomewhere(right: Right): boolean {
  const { account, environments } = useHere().session
  return (
    account !== null && (may(account, right) || environments.some(({ name }) => may(account, right, name)))
  )
}

/** May this account do something in every environment? What they share asks for that. */
export function useMayEverywhere(right: Right): boolean {
  const { account, environments } = useHere().session
  return account !== null && environments.every(({ name }) => may(account, right, name))
}

/** May this account change the rows of a control table: those of one environment's database, or of all environments? */
export function useMayEditRows(shared: boolean, environment: string): boolean {
  const everywhere = useMayEverywhere('build')
  const here = useMayChange(environment)
  return shared ? everywhere : here
}

/** May this account build: jobs, control tables, the catalog? */
export const useMayChange = (environment?: string): boolean => useMay('build', environment)
