import type { StepKind } from '../../../core/job/steps'
import type { Beginnings } from '../../../core/job/beginnings'
import { Button, Menu, MenuItem } from '@mui/material'
import { useRef, useState, type DragEvent, type KeyboardEvent, type ReactElement } from 'react'
import {
  addPart,
  addStep,
  duplicateStep,
  movePart,
  moveStep,
  placeOf,
  removePart,
  removeStep,
  setOff,
  splitPart,
} from '../../../core/job/editSteps'
import type { OutlineAnswer } from './answers'

/** What of a job is open beside the outline. */
export type Chosen =
  | { readonly kind: 'step'; readonly id: string }
  | { readonly kind: 'part'; readonly index: number }
  | { readonly kind: 'about' }

interface Props {
  readonly text: string
  readonly outline: OutlineAnswer
  readonly chosen: Chosen
  readonly names: Beginnings
  /** May the document be changed, and can it be read just now? */
  readonly locked: boolean
  readonly onChoose: (chosen: Chosen) => void
  readonly onText: (text: string) => void
  readonly onFault: (error: Error) => void
}

const kinds: readonly [StepKind, string][] = [
  ['transfer', 'transfer: rows from one place into another'],
  ['sql', 'sql: statements on a database'],
  ['check', 'check: what must hold of a table'],
]

/**
 * Parts and steps in order. Arrows or j and k move between them, Alt with an arrow moves the step itself, d duplicates
 * it, o turns it off and on, Delete takes it out; steps can be dragged, too.
 */
export function Outline({
  text,
  outline,
  chosen,
  names,
  locked,
  onChoose,
  onText,
  onFault,
}: Props): ReactElement {
  const list = useRef<HTMLDivElement>(null)
  const [drop, setDrop] = useState<{ id: string; below: boolean }>()
  const dragged = useRef<string>(undefined)
  const steps = outline.parts.flatMap((part) => part.steps.map(({ id }) => id))
  const id = chosen.kind === 'step' ? chosen.id : undefined
  const focus = (step: string) =>
    requestAnimationFrame(() =>
      list.current?.querySelector<HTMLElement>(`[data-step="${CSS.escape(step)}"]`)?.focus(),
    )
  const choose = (step: string) => {
    onChoose({ kind: 'step', id: step })
    focus(step)
  }
  /** Does an edit; what stands in its way is told. */
  const edit = (work: () => string | { text: string; id: string }) => {
    if (locked) return
    try {
      const made = work()
      onText(typeof made === 'string' ? made : made.text)
      if (typeof made !== 'string') choose(made.id)
    } catch (error) {
      onFault(error as Error)
    }
  }
  const shift = (by: 1 | -1) => id !== undefined && edit(() => moved(text, outline, id, by))
  const takeOut = () => {
    if (id === undefined) return
    const at = steps.indexOf(id)
    edit(() => removeStep(text, id))
    const next = steps[at + 1] ?? steps[at - 1]
    if (next !== undefined) choose(next)
  }
  const acts: Record<string, () => void> = {
    d: () => id !== undefined && edit(() => duplicateStep(text, id)),
    o: () => id !== undefined && edit(() => setOff(text, id, !offOf(outline, id))),
    Delete: takeOut,
  }
  const keys = (event: KeyboardEvent) => {
    if (event.ctrlKey || event.metaKey || (event.target as HTMLElement).closest('[role=menu]')) return
    const by = { ArrowDown: 1, j: 1, ArrowUp: -1, k: -1 }[event.key] as 1 | -1 | undefined
    if (by && event.altKey) shift(by)
    else if (by) {
      const next = steps[Math.max(0, Math.min(steps.length - 1, steps.indexOf(id ?? '') + by))]
      if (next !== undefined) choose(next)
    } else if (acts[event.key] && id !== undefined && !event.altKey) acts[event.key]!()
    else return
    event.preventDefault()
    event.stopPropagation()
  }
  const over = (event: DragEvent, step: string) => {
    if (dragged.current === undefined) return
    event.preventDefault()
    const box = event.currentTarget.getBoundingClientRect()
    const below = event.clientY > box.top + box.height / 2
    if (drop?.id !== step || drop.below !== below) setDrop({ id: step, below })
  }
  const dropped = (event: DragEvent) => {
    event.preventDefault()
    const step = dragged.current
    const target = drop
    dragged.current = undefined
    setDrop(undefined)
    if (step === undefined || !target || step === target.id) return
    edit(() => {
      const { part, at } = placeOf(text, target.id)
      return moveStep(text, step, { part, at: at + (target.below ? 1 : 0) })
    })
  }
  let number = 0
  return (
    <section
      className="sheet"
      aria-labelledby="steps"
      style={{ overflow: 'auto' }}
      ref={list}
      onKeyDown={keys}
    >
      <div className="line" style={{ flexWrap: 'wrap', marginBottom: 4 }}>
        <h2 id="steps" style={{ margin: 0 }}>
          Steps
        </h2>
        {!locked && (
          <span className="line" style={{ marginLeft: 'auto', gap: 6 }}>
            <Adding
              onStep={(kind) =>
                edit(() => {
                  const { part, at } = placeAfter(text, outline, chosen)
                  return addStep(text, part, at, kind, names)
                })
              }
              onPart={(kind) =>
                edit(() =>
                  addPart(text, partAfter(text, chosen), kind, kind === 'once' ? 'sql' : 'transfer', names),
                )
              }
            />
            <Doing
              chosen={chosen}
              off={id !== undefined && offOf(outline, id)}
              onUp={() =>
                chosen.kind === 'part'
                  ? edit(() => movePart(text, chosen.index, Math.max(0, chosen.index - 1)))
                  : shift(-1)
              }
              onDown={() =>
                chosen.kind === 'part'
                  ? edit(() => movePart(text, chosen.index, Math.min(outline.parts.length, chosen.index + 2)))
                  : shift(1)
              }
              onDuplicate={acts.d!}
              onOff={acts.o!}
              onSplit={() => id !== undefined && edit(() => splitPart(text, id))}
              onRemove={() =>
                chosen.kind === 'part' ? edit(() => removePart(text, chosen.index)) : takeOut()
              }
            />
          </span>
        )}
      </div>
      <button
        type="button"
        className="quiet-button outline-step"
        aria-current={chosen.kind === 'about'}
        onClick={() => onChoose({ kind: 'about' })}
      >
        <span />
        <span>
          {outline.parameters.length === 0
            ? 'no parameters'
            : outline.parameters.map(({ name }) => name).join(', ')}
          {outline.slices ? ` · slices ${outline.slices.every}, ${outline.slices.zone}` : ' · no slices'}
        </span>
        <span className="soft">about</span>
      </button>
      {outline.parts.map((part) => (
        <div key={part.index}>
          <button
            type="button"
            className="quiet-button outline-step"
            aria-current={chosen.kind === 'part' && chosen.index === part.index}
            onClick={() => onChoose({ kind: 'part', index: part.index })}
            style={{ gridTemplateColumns: '1fr auto', marginTop: 6 }}
          >
            <span className="soft">
              {part.kind === 'once' ? 'once' : `each row${part.sliced ? ' · each slice' : ''}`}
              {part.title && ` · ${part.title}`}
              {part.roster && (
                <span className="mono" style={{ display: 'block', overflowWrap: 'anywhere' }}>
                  {part.roster}
                </span>
              )}
            </span>
            {part.atOnce !== null && <span className="tag">{part.atOnce} at once</span>}
          </button>
          {part.steps.map((step) => {
            number++
            const here = step.id === id
            const marks = drop?.id === step.id ? (drop.below ? ' drop-below' : ' drop-above') : ''
            return (
              <button
                key={step.id}
                type="button"
                data-step={step.id}
                className={`quiet-button outline-step${marks}`}
                aria-current={here}
                tabIndex={here || (id === undefined && number === 1) ? 0 : -1}
                draggable={!locked}
                onDragStart={(event) => {
                  dragged.current = step.id
                  event.dataTransfer.effectAllowed = 'move'
                }}
                onDragOver={(event) => over(event, step.id)}
                onDrop={dropped}
                onDragEnd={() => setDrop(undefined)}
                onClick={() => onChoose({ kind: 'step', id: step.id })}
              >
                <span className="soft">{number}</span>
                <span style={step.off ? { textDecoration: 'line-through' } : undefined}>{step.title}</span>
                <span className="soft">{step.off ? 'off' : step.kind}</span>
              </button>
            )
          })}
        </div>
      ))}
    </section>
  )
}

const offOf = (outline: OutlineAnswer, id: string): boolean =>
  outline.parts.some((part) => part.steps.some((step) => step.id === id && step.off))

/** A place up or down: within its part, or into the next one. */
function moved(text: string, outline: OutlineAnswer, id: string, by: 1 | -1): string {
  const { part, at } = placeOf(text, id)
  const length = (index: number) => outline.parts[index]?.steps.length ?? 0
  if (by < 0) {
    if (at > 0) return moveStep(text, id, { part, at: at - 1 })
    return part > 0 ? moveStep(text, id, { part: part - 1, at: length(part - 1) }) : text
  }
  if (at < length(part) - 1) return moveStep(text, id, { part, at: at + 2 })
  return part < outline.parts.length - 1 ? moveStep(text, id, { part: part + 1, at: 0 }) : text
}

/** Where a new step goes: below the chosen one, at the end of the chosen part, or of the last. */
function placeAfter(text: string, outline: OutlineAnswer, chosen: Chosen): { part: number; at: number } {
  if (chosen.kind === 'step') {
    const { part, at } = placeOf(text, chosen.id)
    return { part, at: at + 1 }
  }
  const part = chosen.kind === 'part' ? chosen.index : outline.parts.length - 1
  return { part, at: outline.parts[part]!.steps.length }
}

const partAfter = (text: string, chosen: Chosen): number =>
  chosen.kind === 'step' ? placeOf(text, chosen.id).part + 1 : chosen.kind === 'part' ? chosen.index + 1 : 0

function Adding({
  onStep,
  onPart,
}: {
  onStep: (kind: StepKind) => void
  onPart: (kind: 'once' | 'each') => void
}): ReactElement {
  const [at, setAt] = useState<HTMLElement | null>(null)
  const pick = (work: () => void) => () => {
    setAt(null)
    work()
  }
  return (
    <>
      <Button aria-haspopup="menu" onClick={(event) => setAt(event.currentTarget)}>
        Add
      </Button>
      <Menu open={at !== null} anchorEl={at} onClose={() => setAt(null)}>
        {kinds.map(([kind, words]) => (
          <MenuItem key={kind} onClick={pick(() => onStep(kind))}>
            {words}
          </MenuItem>
        ))}
        <MenuItem onClick={pick(() => onPart('each'))}>part for each row of a roster</MenuItem>
        <MenuItem onClick={pick(() => onPart('once'))}>part that runs once</MenuItem>
      </Menu>
    </>
  )
}

function Doing({
  chosen,
  off,
  ...does
}: {
  chosen: Chosen
  off: boolean
  onUp: () => void
  onDown: () => void
  onDuplicate: () => void
  onOff: () => void
  onSplit: () => void
  onRemove: () => void
}): ReactElement {
  const [at, setAt] = useState<HTMLElement | null>(null)
  const step = chosen.kind === 'step'
  const item = (words: string, keys: string, work: () => void) => (
    <MenuItem
      key={words}
      onClick={() => {
        setAt(null)
        work()
      }}
    >
      <span style={{ flex: 1, paddingRight: 18 }}>{words}</span>
      <span className="soft">{keys}</span>
    </MenuItem>
  )
  return (
    <>
      <Button
        aria-haspopup="menu"
        disabled={chosen.kind === 'about'}
        onClick={(event) => setAt(event.currentTarget)}
      >
        {step ? 'This step' : 'This part'}
      </Button>
      <Menu open={at !== null} anchorEl={at} onClose={() => setAt(null)}>
        {item('move up', step ? 'Alt ↑' : '', does.onUp)}
        {item('move down', step ? 'Alt ↓' : '', does.onDown)}
        {step && item('duplicate', 'd', does.onDuplicate)}
        {step && item(off ? 'turn on' : 'turn off', 'o', does.onOff)}
        {step && item('make a part of its own from here', '', does.onSplit)}
        {item('take out', step ? 'Delete' : '', does.onRemove)}
      </Menu>
    </>
  )
}
