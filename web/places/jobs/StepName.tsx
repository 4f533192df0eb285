import { useState, type ReactElement } from 'react'
import { TextInput } from '../../kit/controls'

/** The id of a step; a new one is taken over when the field is left, where it can be one. */
export function StepName({
  id,
  taken,
  locked,
  onRename,
}: {
  id: string
  /** Ids of all steps, its own too. */
  taken: ReadonlySet<string>
  locked: boolean
  onRename: (id: string) => void
}): ReactElement {
  const [typed, setTyped] = useState(id)
  const wrong = !/^[a-z][a-z0-9_-]{0,62}$/.test(typed) || (typed !== id && taken.has(typed))
  return (
    <TextInput
      label="id of the step"
      mono
      width={180}
      value={typed}
      wrong={wrong}
      disabled={locked}
      onChange={setTyped}
      onLeave={() => (wrong ? setTyped(id) : typed !== id && onRename(typed))}
    />
  )
}
