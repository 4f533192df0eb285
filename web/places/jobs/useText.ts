import { useCallback, useState } from 'react'

interface Kept {
  readonly text: string
  readonly past: readonly string[]
  readonly future: readonly string[]
  /** When the last edit was made, in milliseconds, and whether it was typed. */
  readonly at: number
  readonly typed: boolean
}

/** Letters typed within this time of each other are one step back, in milliseconds. */
const pause = 800
const depth = 300

/** A document's text with undo and redo; what is typed quickly is one step, each other edit is one of its own. */
export function useText(initial: string) {
  const [kept, setKept] = useState<Kept>({ text: initial, past: [], future: [], at: 0, typed: false })
  const set = useCallback((text: string, typed = false) => {
    setKept((now) => {
      if (text === now.text) return now
      const at = Date.now()
      const joined = typed && now.typed && at - now.at < pause
      return { text, past: joined ? now.past : [...now.past.slice(-depth), now.text], future: [], at, typed }
    })
  }, [])
  const undo = useCallback(
    () =>
      setKept((now) => {
        const before = now.past.at(-1)
        return before === undefined
          ? now
          : { ...now, text: before, past: now.past.slice(0, -1), future: [now.text, ...now.future], at: 0 }
      }),
    [],
  )
  const redo = useCallback(
    () =>
      setKept((now) => {
        const [after, ...future] = now.future
        return after === undefined
          ? now
          : { ...now, text: after, past: [...now.past, now.text], future, at: 0 }
      }),
    [],
  )
  return { text: kept.text, set, undo, redo, canUndo: kept.past.length > 0, canRedo: kept.future.length > 0 }
}
