import { useCallback, useMemo, type ReactElement } from 'react'
import type { Answer } from '../../../contract/route'
import type { routes } from '../../../contract/routes'
import type { Fault } from '../../../core/fault'
import { setAt, valueAt, type Path } from '../../../core/job/editText'
import { namedAt } from '../../../core/job/slots'
import { renameStep } from '../../../core/job/editOrder'
import { stepDefinition, stepOrderSchema, type StepKind } from '../../../core/job/steps'
import { connectionKinds } from '../../../core/connection/connection'
import { TextInput } from '../../kit/controls'
import type { FieldFrame, FieldPath } from '../../kit/fields/frame'
import { mapOf } from '../../kit/fields/given'
import { SchemaFields } from '../../kit/fields/SchemaFields'
import { formed } from './formed'
import { functions } from './functions'
import { OrderForm } from './OrderForm'
import { SlotResult } from './SlotResult'
import { StepName } from './StepName'
import { useOffers } from './useOffers'

type Slot = Answer<typeof routes.resolveJob>['slots'][number]

interface Props {
  readonly text: string
  readonly path: Path
  readonly kind: StepKind
  readonly slots: readonly Slot[]
  /** Names that expressions of this step may use. */
  readonly names: readonly string[]
  readonly locked: boolean
  readonly faults: readonly Fault[]
  readonly onText: (text: string, typed?: boolean) => void
  readonly onRenamed: (id: string) => void
}

/** Every setting of a step as a field, with what its texts come to for the chosen row and slice below them. */
export function StepForm({
  text,
  path,
  kind,
  slots,
  names,
  locked,
  faults,
  onText,
  onRenamed,
}: Props): ReactElement {
  const raw = (valueAt(text, path) ?? {}) as Readonly<Record<string, unknown>>
  /** The database that stands beside a table: named by another text of the same object. */
  const connectionAt = useCallback(
    (at: FieldPath) => {
      const around = at.slice(0, -1).join('.')
      return (
        slots.find(
          (slot) =>
            slot.path.startsWith(`${around}.`) && connectionKinds.some((one) => one === namedAt(slot.path)),
        )?.resolved ?? undefined
      )
    },
    [slots],
  )
  const offers = useOffers(connectionAt)
  const frame = useMemo<FieldFrame>(
    () => ({
      locked,
      expressions: [...names, ...functions],
      offers,
      below: (at) => {
        const slot = slots.find((one) => one.path === at.join('.'))
        return slot && <SlotResult slot={slot} />
      },
      ...formed(text, path, faults, onText),
    }),
    [locked, names, offers, slots, faults, onText, text, path],
  )
  return (
    <div className="stack" style={{ gap: 8 }}>
      <div className="form-rows">
        <span className="label">name</span>
        <span className="line">
          <StepName
            key={String(raw.id)}
            id={String(raw.id ?? '')}
            taken={idsIn(text)}
            locked={locked}
            onRename={(id) => {
              onRenamed(id)
              onText(renameStep(text, String(raw.id), id), true)
            }}
          />
          <TextInput
            label="title of the step"
            placeholder="what it does, in words"
            value={String(raw.title ?? '')}
            disabled={locked}
            onChange={(title) => onText(setAt(text, [...path, 'title'], title || undefined), true)}
          />
        </span>
      </div>
      <SchemaFields
        schema={stepDefinition(kind).schema}
        path={[kind]}
        said=""
        value={raw[kind] as Readonly<Record<string, unknown>> | undefined}
        frame={frame}
        onChange={(value) => onText(setAt(text, [...path, kind], value), true)}
      />
      <OrderForm
        what="step"
        schema={stepOrderSchema}
        value={raw}
        others={othersIn(text, path)}
        first={path.at(-1) === 0}
        frame={frame}
        onChange={(key, value) => onText(setAt(text, [...path, key], value), true)}
      />
    </div>
  )
}

/** Ids of all steps. */
function idsIn(text: string): ReadonlySet<string> {
  const parts = valueAt(text, ['parts'])
  const lists = (Array.isArray(parts) ? parts : []).flatMap((part) => [mapOf(part).once, mapOf(part).do])
  return new Set(lists.flat().map((step) => String(mapOf(step).id)))
}

/** Ids of the other steps of its part. */
function othersIn(text: string, path: Path): string[] {
  const steps = valueAt(text, path.slice(0, -1))
  return (Array.isArray(steps) ? steps : []).flatMap((step: unknown, at) => {
    const id = typeof step === 'object' && step !== null && 'id' in step ? String(step.id) : ''
    return at === path.at(-1) || id === '' ? [] : [id]
  })
}
