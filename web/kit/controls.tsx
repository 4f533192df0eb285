import {
  Autocomplete,
  Checkbox,
  Chip,
  FormControlLabel,
  InputBase,
  MenuItem,
  OutlinedInput,
  Select,
  TextField,
} from '@mui/material'
import type { ReactElement, ReactNode } from 'react'

interface Control {
  /** Said by a screen reader; what stands beside the field is for the eye. */
  readonly label: string
  readonly disabled?: boolean | undefined
  /** Pixels; the whole line where there is none. */
  readonly width?: number | undefined
  readonly wrong?: boolean | undefined
}

/** A line of text. */
export function TextInput({
  label,
  value,
  onChange,
  onLeave,
  placeholder,
  mono = false,
  disabled = false,
  width,
  wrong = false,
  autoFocus = false,
  lines = 1,
  secret = false,
  onEnter,
}: Control & {
  readonly value: string
  readonly onChange: (value: string) => void
  readonly onLeave?: () => void
  readonly onEnter?: () => void
  readonly placeholder?: string | undefined
  readonly mono?: boolean
  readonly autoFocus?: boolean
  /** Lines it begins with; more than one may be typed then. */
  readonly lines?: number
  /** What is typed is not shown, and never filled in by the browser. */
  readonly secret?: boolean
}): ReactElement {
  return (
    <OutlinedInput
      size="small"
      value={value}
      error={wrong}
      {...(lines > 1 ? { multiline: true, minRows: lines } : {})}
      {...(secret ? { type: 'password', autoComplete: 'new-password' } : {})}
      disabled={disabled}
      autoFocus={autoFocus}
      placeholder={placeholder ?? ''}
      {...(width === undefined ? { fullWidth: true } : { sx: { width } })}
      slotProps={{ input: { 'aria-label': label, className: mono ? 'mono' : undefined, spellCheck: false } }}
      onChange={(event) => onChange(event.target.value)}
      onBlur={() => onLeave?.()}
      onKeyDown={(event) => {
        if (event.key !== 'Enter' || lines > 1) return
        onLeave?.()
        onEnter?.()
      }}
    />
  )
}

/** A number; undefined where the field is empty. */
export function NumberInput({
  label,
  value,
  onChange,
  placeholder,
  disabled = false,
  width = 110,
  wrong = false,
  least,
}: Control & {
  readonly value: number | undefined
  readonly onChange: (value: number | undefined) => void
  readonly placeholder?: string | undefined
  readonly least?: number
}): ReactElement {
  return (
    <OutlinedInput
      type="number"
      size="small"
      error={wrong}
      value={value ?? ''}
      disabled={disabled}
      placeholder={placeholder ?? ''}
      sx={{ width }}
      slotProps={{ input: { 'aria-label': label, min: least, step: 'any', className: 'number' } }}
      onChange={({ target }) => onChange(target.value === '' ? undefined : Number(target.value))}
    />
  )
}

/** One of several; the empty option, where there is one, is the usual. */
export function Choice<V extends string>({
  label,
  value,
  options,
  onChange,
  disabled = false,
  width,
}: Control & {
  readonly value: V
  readonly options: readonly (readonly [value: V, words: ReactNode])[]
  readonly onChange: (value: V) => void
}): ReactElement {
  return (
    <Select<V>
      size="small"
      displayEmpty
      value={value}
      disabled={disabled}
      sx={{ width: width ?? 'fit-content', maxWidth: '100%', minWidth: 90 }}
      MenuProps={{ slotProps: { paper: { sx: { maxHeight: 360 } }, list: { 'aria-label': label } } }}
      SelectDisplayProps={{ 'aria-label': label }}
      onChange={(event) => onChange(event.target.value as V)}
    >
      {options.map(([option, words]) => (
        <MenuItem key={option} value={option}>
          {words}
        </MenuItem>
      ))}
    </Select>
  )
}

/** Yes or no, with words beside it. */
export function Flag({
  label,
  checked,
  onChange,
  words,
  disabled = false,
}: Control & {
  readonly checked: boolean
  readonly onChange: (checked: boolean) => void
  readonly words?: ReactNode
}): ReactElement {
  const box = (
    <Checkbox
      checked={checked}
      disabled={disabled}
      slotProps={{ input: words ? {} : { 'aria-label': label } }}
      onChange={(_event, next) => onChange(next)}
    />
  )
  return words ? <FormControlLabel control={box} label={words} /> : box
}

/** A text that is typed, or picked from what is offered. */
export function OfferedText({
  label,
  value,
  onChange,
  offers,
  words = {},
  placeholder,
  mono = false,
  filtered = false,
  disabled = false,
  width,
}: Control & {
  readonly value: string
  readonly onChange: (value: string) => void
  readonly offers: readonly string[]
  /** What is said of an offer beside it. */
  readonly words?: Readonly<Record<string, string>>
  readonly placeholder?: string | undefined
  readonly mono?: boolean
  /** Only offers that hold what is typed are shown: where there are many. */
  readonly filtered?: boolean
}): ReactElement {
  return (
    <Autocomplete
      freeSolo
      disableClearable
      size="small"
      options={offers as string[]}
      {...(filtered ? {} : { filterOptions: (options: string[]) => options })}
      inputValue={value}
      disabled={disabled}
      sx={width === undefined ? { width: '100%' } : { width }}
      onInputChange={(_event, next, reason) => {
        // it resets itself when offers come in, which is not what was typed
        if (reason !== 'reset' || offers.includes(next)) onChange(next)
      }}
      renderOption={({ key, ...rest }, option) => (
        <li key={key} {...rest}>
          <span className={mono ? 'mono' : ''}>{option}</span>
          {words[option] !== undefined && <span className="soft">&ensp;{words[option]}</span>}
        </li>
      )}
      renderInput={(params) => (
        <TextField
          {...params}
          placeholder={placeholder ?? ''}
          slotProps={{
            ...params.slotProps,
            htmlInput: { ...params.slotProps.htmlInput, 'aria-label': label, spellCheck: false },
          }}
        />
      )}
    />
  )
}

/** A list of words: typed and ended with Enter or a comma, or picked from what is known. */
export function WordsInput({
  label,
  value,
  onChange,
  options = [],
  free = true,
  words = {},
  placeholder,
  disabled = false,
  width,
}: Control & {
  readonly value: readonly string[]
  readonly onChange: (value: string[]) => void
  readonly options?: readonly string[]
  /** Others than the options may be typed. */
  readonly free?: boolean
  readonly words?: Readonly<Record<string, string>>
  readonly placeholder?: string | undefined
}): ReactElement {
  const cut = (list: readonly string[]) =>
    list
      .flatMap((one) => one.split(','))
      .map((one) => one.trim())
      .filter((one, i, all) => one !== '' && all.indexOf(one) === i)
  return (
    <Autocomplete
      multiple
      freeSolo={free}
      disableClearable
      autoSelect={free}
      size="small"
      options={options as string[]}
      value={value as string[]}
      disabled={disabled}
      getOptionLabel={(option) => words[option] ?? option}
      onChange={(_event, next) => onChange(cut(next))}
      onKeyDown={(event) => {
        const box = event.target as HTMLInputElement
        if (!free || event.key !== ',' || box.value.trim() === '') return
        event.preventDefault()
        onChange(cut([...value, box.value]))
        box.blur()
        box.focus()
      }}
      sx={width === undefined ? { width: '100%' } : { width }}
      renderValue={(list, itemProps) =>
        list.map((one, index) => {
          const { key, ...rest } = itemProps({ index })
          return (
            <Chip key={key} {...rest} size="small" label={words[one] ?? one} className={free ? 'mono' : ''} />
          )
        })
      }
      renderInput={(params) => (
        <TextField
          {...params}
          placeholder={value.length === 0 ? (placeholder ?? '') : ''}
          slotProps={{
            ...params.slotProps,
            htmlInput: { ...params.slotProps.htmlInput, 'aria-label': label },
          }}
        />
      )}
    />
  )
}

/** A tick in a row of a long list: lighter than a whole control, since there are hundreds on the screen. */
export function Tick({
  label,
  checked,
  disabled = false,
  onChange,
}: Control & { readonly checked: boolean; readonly onChange: () => void }): ReactElement {
  return (
    <input
      type="checkbox"
      className="tick-box"
      aria-label={label}
      checked={checked}
      disabled={disabled}
      tabIndex={-1}
      // the row below is not opened by it
      onClick={(event) => event.stopPropagation()}
      onChange={onChange}
    />
  )
}

/** A text that is edited in its cell; `group` names the cells that Enter and the arrows lead through. */
export function CellInput({
  label,
  group,
  value,
  onChange,
  placeholder,
  disabled = false,
}: Control & {
  readonly group: string
  readonly value: string
  readonly onChange: (value: string) => void
  readonly placeholder?: string | undefined
}): ReactElement {
  return (
    <InputBase
      value={value}
      placeholder={placeholder ?? ''}
      disabled={disabled}
      fullWidth
      slotProps={{ input: { 'aria-label': label, className: group } }}
      onChange={(event) => onChange(event.target.value)}
      onKeyDown={(event) => {
        const { key, currentTarget } = event
        if (key !== 'Enter' && key !== 'ArrowDown' && key !== 'ArrowUp') return
        event.preventDefault()
        const own = currentTarget.querySelector('input')
        const all = [...document.querySelectorAll<HTMLInputElement>(`input.${group}`)]
        const next = own && all[all.indexOf(own) + (key === 'ArrowUp' ? -1 : 1)]
        next?.focus()
        next?.select()
      }}
    />
  )
}
