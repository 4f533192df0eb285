import type { Fault } from '../../../core/fault'
import { clearAt, setAt, tidyAt, type Path } from '../../../core/job/editText'
import type { FieldFrame } from '../../kit/fields/frame'
import { faultsAt } from './faultsAt'

/** What the forms of a job have in common: each field is an edit of its text, with what is wrong with it below. */
export const formed = (
  text: string,
  root: Path,
  faults: readonly Fault[],
  onText: (text: string, typed?: boolean) => void,
): Pick<FieldFrame, 'fault' | 'onSet' | 'onLeave'> => ({
  fault: faultsAt(faults, root),
  // a field that is emptied to be typed anew takes nothing with it; a group that is empty when it is left goes
  onSet: (path, value) => {
    const at = [...root, ...path]
    onText(value === undefined ? clearAt(text, at) : setAt(text, at, value), true)
  },
  onLeave: (path) => {
    const tidy = tidyAt(text, [...root, ...path])
    if (tidy !== text) onText(tidy, true)
  },
})
