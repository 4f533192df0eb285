import { everyText } from '../../../core/slice/words'
import { stepDefinition, stepKinds, type StepKind } from '../../../core/job/steps'
import type { Beginnings } from '../../../core/job/beginnings'
import {
  closestCenter,
  DndContext,
  PointerSensor,
  useSensor,
  useSensors,
  type DragEndEvent,
} from '@dnd-kit/core'
import { SortableContext, useSortable, verticalListSortingStrategy } from '@dnd-kit/sortable'
import { CSS } from '@dnd-kit/utilities'
import { Button, ButtonBase, Menu, MenuItem } from '@mui/material'
import { useRef, useState, type KeyboardEvent, type ReactElement } from 'react'
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
import { setBehind, setBeside } from '../../../core/job/editOrder'
import type { OutlineAnswer } from './answers'
import { isPlainOrder, OrderPicture, orderText } from './OrderPicture'

/** What of a job is open beside the outline. */
export type Chosen =
  | { readonly kind: 'step'; readonly id: string }
  | { readonly kind: 'part'; readonly index: number }
  | { readonly kind: 'about' }
  /** What makes its runs begin by themselves. */
  | { readonly kind: 'starts' }

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

/**
 * Parts and steps in order; what runs side by side stands further in, behind a thin rule. Arrows or j and k move between
 * them, Alt with an arrow moves the step or part itself (a step to the right: beside the one above), d duplicates it, o turns it off and on,
 * Delete takes it out; steps can be dragged, too.
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
  const steps = outline.parts.flatMap((part) => part.steps.map(({ id }) => id))
  const id = chosen.kind === 'step' ? chosen.id : undefined
  const focus = (step: string) =>
    requestAnimationFrame(() => {
      const all = list.current?.querySelectorAll<HTMLElement>('[data-step]') ?? []
      ;[...all].find(({ dataset }) => dataset.step === step)?.focus()
    })
  const choose = (step: string) => {
    onChoose({ kind: 'step', id: step })
    focus(step)
  }
  /** Does an edit, and says whether it was done; what stands in its way is told. */
  const edit = (work: () => string | { text: string; id: string }): boolean => {
    if (locked) return false
    try {
      const made = work()
      onText(typeof made === 'string' ? made : made.text)
      if (typeof made !== 'string') choose(made.id)
      return true
    } catch (error) {
      onFault(error as Error)
      return false
    }
  }
  /** Moves the chosen part up or down with all its steps; it stays chosen. */
  const shiftPart = (by: 1 | -1) => {
    if (chosen.kind !== 'part') return
    const to = chosen.index + by
    if (to < 0 || to >= outline.parts.length) return
    // its place is counted as long as it still stands where it was
    if (!edit(() => movePart(text, chosen.index, by > 0 ? to + 1 : to))) return
    onChoose({ kind: 'part', index: to })
    requestAnimationFrame(() => list.current?.querySelector<HTMLElement>(`[data-part="${to}"]`)?.focus())
  }
  const shift = (by: 1 | -1) => {
    if (chosen.kind === 'part') return shiftPart(by)
    // in another part it is drawn anew, and would lose the keyboard
    if (id !== undefined && edit(() => moved(text, outline, id, by))) focus(id)
  }
  const takeOut = () => {
    if (id === undefined) return
    const at = steps.indexOf(id)
    const next = steps[at + 1] ?? steps[at - 1]
    if (edit(() => removeStep(text, id)) && next !== undefined) choose(next)
  }
  const acts: Record<string, () => void> = {
    d: () => id !== undefined && edit(() => duplicateStep(text, id)),
    o: () => id !== undefined && edit(() => setOff(text, id, !offOf(outline, id))),
    Delete: takeOut,
  }
  const keys = (event: KeyboardEvent) => {
    if (event.ctrlKey || event.metaKey || (event.target as HTMLElement).closest('[role=menu]')) return
    const by = { ArrowDown: 1, j: 1, ArrowUp: -1, k: -1 }[event.key] as 1 | -1 | undefined
    const aside = { ArrowRight: setBeside, ArrowLeft: setBehind }[event.key]
    if (aside && event.altKey && id !== undefined) edit(() => aside(text, id))
    else if (by && event.altKey) shift(by)
    else if (by) {
      const next = steps[Math.max(0, Math.min(steps.length - 1, steps.indexOf(id ?? '') + by))]
      if (next !== undefined) choose(next)
    } else if (acts[event.key] && id !== undefined && !event.altKey) acts[event.key]!()
    else return
    event.preventDefault()
    event.stopPropagation()
  }
  /** A step let go over another takes its place; what lies between moves up or down. */
  const dropped = ({ active, over }: DragEndEvent) => {
    const [step, target] = [String(active.id), String(over?.id ?? '')]
    if (target === '' || step === target) return
    const below = steps.indexOf(step) < steps.indexOf(target)
    edit(() => {
      const { part, at } = placeOf(text, target)
      return moveStep(text, step, { part, at: at + (below ? 1 : 0) })
    })
  }
  // a few pixels first, so that a press still opens the step
  const sensors = useSensors(useSensor(PointerSensor, { activationConstraint: { distance: 6 } }))
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
              onUp={() => shift(-1)}
              onDown={() => shift(1)}
              onDuplicate={acts.d!}
              onOff={acts.o!}
              onBeside={() => id !== undefined && edit(() => setBeside(text, id))}
              onBehind={() => id !== undefined && edit(() => setBehind(text, id))}
              onSplit={() => id !== undefined && edit(() => splitPart(text, id))}
              onRemove={() =>
                chosen.kind === 'part' ? edit(() => removePart(text, chosen.index)) : takeOut()
              }
            />
          </span>
        )}
      </div>
      <ButtonBase
        className="outline-step"
        aria-current={chosen.kind === 'about'}
        onClick={() => onChoose({ kind: 'about' })}
      >
        <span />
        <span>
          {outline.parameters.length === 0
            ? 'no parameters'
            : outline.parameters.map(({ name }) => name).join(', ')}
          {outline.slices
            ? ` · slices ${everyText(outline.slices.every)}, ${outline.slices.zone}`
            : ' · no slices'}
        </span>
        <span className="soft">about</span>
      </ButtonBase>
      <ButtonBase
        className="outline-step"
        aria-current={chosen.kind === 'starts'}
        onClick={() => onChoose({ kind: 'starts' })}
      >
        <span />
        <span>
          {outline.starts.length === 0
            ? 'begun by hand'
            : outline.starts.map(({ text: words }) => words).join('; ')}
          {outline.due !== null && ` · due ${outline.due}`}
        </span>
        <span className="soft">starts</span>
      </ButtonBase>
      <DndContext sensors={sensors} collisionDetection={closestCenter} onDragEnd={dropped}>
        <SortableContext items={steps} strategy={verticalListSortingStrategy}>
          {outline.parts.map((part) => (
            <div key={part.index}>
              <ButtonBase
                className="outline-step"
                data-part={part.index}
                aria-current={chosen.kind === 'part' && chosen.index === part.index}
                onClick={() => onChoose({ kind: 'part', index: part.index })}
                style={{ gridTemplateColumns: '1fr auto', marginTop: 6, ...indent(part.track) }}
              >
                <span className="soft">
                  {part.kind === 'once' ? 'once' : `each row${part.sliced ? ' · each slice' : ''}`}
                  {part.title && ` · ${part.title}`}
                  <OrderNote text={orderText(outline.parts, part.index)} />
                  {part.roster && (
                    <span className="mono" style={{ display: 'block', overflowWrap: 'anywhere' }}>
                      {part.roster}
                    </span>
                  )}
                </span>
                {part.atOnce !== null && <span className="tag">{part.atOnce} at once</span>}
              </ButtonBase>
              {part.steps.map((step) => {
                number++
                const here = step.id === id
                return (
                  <OutlineStep
                    key={step.id}
                    step={step}
                    track={part.track + step.track}
                    note={orderText(part.steps, part.steps.indexOf(step))}
                    number={number}
                    here={here}
                    first={here || (id === undefined && number === 1)}
                    locked={locked}
                    onChoose={() => onChoose({ kind: 'step', id: step.id })}
                  />
                )
              })}
            </div>
          ))}
        </SortableContext>
      </DndContext>
      {!isPlainOrder(outline) && <OrderPicture outline={outline} />}
    </section>
  )
}

/** A step in the outline; it can be dragged to another place. */
function OutlineStep({
  step,
  track,
  note,
  number,
  here,
  first,
  locked,
  onChoose,
}: {
  step: OutlineAnswer['parts'][number]['steps'][number]
  track: number
  note: string
  number: number
  here: boolean
  /** It has the place in the order of the Tab key. */
  first: boolean
  locked: boolean
  onChoose: () => void
}): ReactElement {
  const { listeners, setNodeRef, transform, transition, isDragging } = useSortable({
    id: step.id,
    disabled: locked,
  })
  return (
    <ButtonBase
      ref={setNodeRef}
      data-step={step.id}
      className="outline-step"
      aria-current={here}
      tabIndex={first ? 0 : -1}
      {...listeners}
      onClick={onChoose}
      style={{
        transform: CSS.Translate.toString(transform) ?? '',
        ...(transition ? { transition } : {}),
        ...indent(track),
        ...(isDragging ? { position: 'relative', zIndex: 1, background: 'var(--tint)' } : {}),
      }}
    >
      <span className="soft">{number}</span>
      <span>
        <span style={step.off ? { textDecoration: 'line-through' } : undefined}>{step.title}</span>
        <OrderNote text={note} />
      </span>
      <span className="soft">{step.off ? 'off' : step.kind}</span>
    </ButtonBase>
  )
}

/** What runs beside others stands further in, behind a thin rule. */
const indent = (track: number) =>
  track === 0
    ? {}
    : {
        marginLeft: track * 16 - 14,
        width: `calc(100% + ${28 - track * 16}px)`,
        borderLeft: '1px solid var(--rule)',
      }

function OrderNote({ text }: { text: string }): ReactElement | null {
  return text === '' ? null : (
    <span className="soft" style={{ display: 'block', fontSize: 12 }}>
      {text}
    </span>
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
        {stepKinds.map((kind) => (
          <MenuItem key={kind} onClick={pick(() => onStep(kind))}>
            {kind}: {stepDefinition(kind).does}
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
  onBeside: () => void
  onBehind: () => void
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
        {item('move up', 'Alt ↑', does.onUp)}
        {item('move down', 'Alt ↓', does.onDown)}
        {step && item('duplicate', 'd', does.onDuplicate)}
        {step && item(off ? 'turn on' : 'turn off', 'o', does.onOff)}
        {step && item('run beside the one above', 'Alt →', does.onBeside)}
        {step && item('run after the one above', 'Alt ←', does.onBehind)}
        {step && item('make a part of its own from here', '', does.onSplit)}
        {item('take out', step ? 'Delete' : '', does.onRemove)}
      </Menu>
    </>
  )
}
