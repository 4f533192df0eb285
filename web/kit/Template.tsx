import { TextareaAutosize } from '@mui/material'
import { useId, useRef, useState, type KeyboardEvent, type ReactElement } from 'react'

interface Props {
  readonly label: string
  readonly value: string
  readonly onChange: (value: string) => void
  /** Names an expression may use, such as row.kind; offered between braces. */
  readonly names?: readonly string[]
  /** Whole texts, such as connections; offered outside of braces. */
  readonly texts?: readonly string[]
  readonly lines?: number
  readonly disabled?: boolean
  readonly placeholder?: string
  /** All of it is an expression, without braces. */
  readonly expression?: boolean
}

interface Offer {
  readonly from: number
  readonly to: number
  readonly options: readonly string[]
}

const most = 12

/** What could stand where the cursor is. */
function offerAt(text: string, at: number, { names = [], texts = [], expression }: Props): Offer | undefined {
  const open = text.lastIndexOf('{', at - 1)
  const inside = expression || (open >= 0 && text.lastIndexOf('}', at - 1) < open && text[open - 1] !== '{')
  const from = inside
    ? at - (/[\w.["-]*$/.exec(text.slice(expression ? 0 : open + 1, at))?.[0].length ?? 0)
    : 0
  const begun = text.slice(from, at).toLowerCase()
  const known = inside ? names : texts
  const starts = known.filter((name) => name.toLowerCase().startsWith(begun) && name !== text.slice(from, at))
  const holds = known.filter((name) => !starts.includes(name) && begun !== '' && name.toLowerCase().includes(begun) && name !== text.slice(from, at)) // prettier-ignore
  const options = [...starts, ...holds].slice(0, most)
  return options.length > 0 ? { from, to: inside ? at : text.length, options } : undefined
}

/** A text that may hold expressions, with what could stand at the cursor offered below it: arrows and Enter, or Tab, take it. */
export function Template(props: Props): ReactElement {
  const { label, value, onChange, lines = 1, disabled, placeholder } = props
  /** Where the cursor stands, while something may be offered there; names may still be on their way. */
  const [cursor, setCursor] = useState<number>()
  const [chosen, setChosen] = useState(0)
  const box = useRef<HTMLTextAreaElement>(null)
  const id = useId()
  const offer = cursor === undefined ? undefined : offerAt(value, cursor, props)
  const look = (at: number | undefined) => {
    setCursor(at)
    setChosen(0)
  }
  const take = (option: string) => {
    if (!offer) return
    const next = value.slice(0, offer.from) + option + value.slice(offer.to)
    const at = offer.from + option.length
    onChange(next)
    look(undefined)
    requestAnimationFrame(() => box.current?.setSelectionRange(at, at))
  }
  const keys = (event: KeyboardEvent) => {
    if (event.key === 'Enter' && lines === 1 && !offer) return event.preventDefault()
    if (!offer) return
    const by = { ArrowDown: 1, ArrowUp: -1 }[event.key]
    if (by) setChosen((chosen + by + offer.options.length) % offer.options.length)
    else if (event.key === 'Enter' || event.key === 'Tab')
      take(offer.options[Math.min(chosen, offer.options.length - 1)]!)
    else if (event.key === 'Escape') look(undefined)
    else return
    event.preventDefault()
    event.stopPropagation()
  }
  return (
    <span className="template">
      <TextareaAutosize
        ref={box}
        className="mono"
        role="combobox"
        aria-label={label}
        aria-expanded={offer !== undefined}
        aria-controls={`${id}-list`}
        aria-activedescendant={offer ? `${id}-${chosen}` : undefined}
        aria-autocomplete="list"
        minRows={lines}
        maxRows={14}
        value={value}
        disabled={disabled}
        placeholder={placeholder}
        spellCheck={false}
        onChange={(event) => {
          const text = lines === 1 ? event.target.value.replace(/\n/g, ' ') : event.target.value
          onChange(text)
          look(event.target.selectionStart)
        }}
        onKeyDown={keys}
        onClick={(event) => look(event.currentTarget.selectionStart)}
        onBlur={() => look(undefined)}
      />
      {offer && (
        <ul id={`${id}-list`} role="listbox" aria-label={`for ${label}`}>
          {offer.options.map((option, i) => (
            <li
              key={option}
              id={`${id}-${i}`}
              role="option"
              aria-selected={i === chosen}
              className="mono"
              // before the blur that would close the list
              onMouseDown={(event) => {
                event.preventDefault()
                take(option)
              }}
            >
              {option}
            </li>
          ))}
        </ul>
      )}
    </span>
  )
}
