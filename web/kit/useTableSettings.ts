import { useCallback, useContext, useRef, useState } from 'react'
import type { Answer } from '../../contract/route'
import { routes } from '../../contract/routes'
import { call } from '../data/api'
import { HereContext } from '../data/session'

export type TableSettings = Answer<typeof routes.session>['tables'][string]

/** What was set on this page, newer than what the session brought along. */
const latest = new Map<string, TableSettings>()

/** How this person has set up a table; kept with the account a moment after each change. */
export function useTableSettings(
  name: string,
  usual: TableSettings,
): readonly [TableSettings, (next: TableSettings) => void] {
  const here = useContext(HereContext)
  const [settings, setSettings] = useState(() => latest.get(name) ?? here?.session.tables[name] ?? usual)
  const timer = useRef<ReturnType<typeof setTimeout>>(undefined)
  const keep = useCallback(
    (next: TableSettings) => {
      setSettings(next)
      latest.set(name, next)
      clearTimeout(timer.current)
      timer.current = setTimeout(() => {
        // it is a convenience: where it cannot be kept, this page has it all the same
        call(routes.keepForMe, { body: { table: { name, settings: next } } }).catch(() => {})
      }, 700)
    },
    [name],
  )
  return [settings, keep]
}
