import { useEffect } from 'react'

const writing = (target: EventTarget | null): boolean =>
  target instanceof HTMLElement &&
  (target.isContentEditable ||
    /^(INPUT|TEXTAREA|SELECT)$/.test(target.tagName) ||
    target.closest('.cm-editor, [role=dialog], [role=listbox]') !== null)

/** Calls the handler of a key pressed anywhere but in a field; Ctrl+S comes as `ctrl+s` and works in fields too. */
export function useKeys(handlers: Readonly<Record<string, () => void>>): void {
  useEffect(() => {
    const listener = (event: KeyboardEvent) => {
      const control = event.ctrlKey || event.metaKey
      if (event.defaultPrevented || event.altKey || (!control && writing(event.target))) return
      const handler = handlers[`${control ? 'ctrl+' : ''}${control ? event.key.toLowerCase() : event.key}`]
      if (!handler) return
      event.preventDefault()
      handler()
    }
    window.addEventListener('keydown', listener)
    return () => window.removeEventListener('keydown', listener)
  }, [handlers])
}
