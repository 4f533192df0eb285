import { setAt, valueAt } from './editText'
import { pathOfStep } from './editSteps'

/**
 * Sets which source column goes into a target column, in the text of a job; everything else of the text stays letter by
 * letter. Null takes the entry away, so that the columns meet by their names again.
 */
export function setMapping(text: string, step: string, target: string, source: string | null): string {
  const path = [...pathOfStep(text, step), 'transfer', 'columns']
  const columns = new Map(Object.entries((valueAt(text, path) ?? {}) as Record<string, string>))
  if (source === null) columns.delete(target)
  else columns.set(target, source)
  return setAt(text, path, columns.size === 0 ? undefined : Object.fromEntries(columns))
}

/** Sets what is done with columns that one side lacks; the usual way is not written. */
export function setPolicy(
  text: string,
  step: string,
  policy: 'unknown_columns' | 'missing_columns',
  value: string,
): string {
  const usual = policy === 'unknown_columns' ? 'fail' : 'ignore'
  return setAt(
    text,
    [...pathOfStep(text, step), 'transfer', 'into', policy],
    value === usual ? undefined : value,
  )
}
