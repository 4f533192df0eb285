import { useHotkeys } from 'react-hotkeys-hook'

const writing = (target: EventTarget | null): boolean =>
  target instanceof HTMLElement &&
  (target.isContentEditable ||
    /^(INPUT|TEXTAREA|SELECT)$/.test(target.tagName) ||
    target.closest('.cm-editor, [role=dialog], [role=listbox]') !== null)

/** Calls the handler of a key pressed anywhere but in a field; `ctrl+s` works in fields too, and is Cmd+S on a Mac. */
export function useKeys(handlers: Readonly<Record<string, () => void>>): void {
  const known = Object.keys(handlers)
  useHotkeys(
    known.flatMap((key) => (key.startsWith('ctrl+') ? [key, key.replace('ctrl+', 'meta+')] : [key])),
    (event, { hotkey }) => {
      if (event.defaultPrevented) return
      event.preventDefault()
      handlers[hotkey.replace('meta+', 'ctrl+')]?.()
    },
    {
      useKey: true,
      enabled: known.length > 0,
      enableOnFormTags: true,
      enableOnContentEditable: true,
      ignoreEventWhen: (event) => !event.ctrlKey && !event.metaKey && writing(event.target),
    },
    [handlers],
  )
}
