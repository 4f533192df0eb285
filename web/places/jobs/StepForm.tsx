import type { StepKind } from '../../../core/job/steps'
import { Fragment, useState, type ReactElement } from 'react'
import type { Answer } from '../../../contract/route'
import { routes } from '../../../contract/routes'
import { setAt, valueAt, type Path } from '../../../core/job/editText'
import { useAnswer } from '../../data/api'
import { useHere } from '../../data/session'
import { Checks } from './Checks'
import { FieldInput } from './FieldInput'
import {
  functions,
  sectionsOf,
  sourceOf,
  sources,
  targetOf,
  targets,
  type Field,
  type Section,
} from './fields'
import { Casts, ShapeRules } from './ShapeRules'
import { SlotResult } from './SlotResult'

type Slot = Answer<typeof routes.resolveJob>['slots'][number]

interface Props {
  readonly text: string
  readonly path: Path
  readonly kind: StepKind
  readonly slots: readonly Slot[]
  /** Names that expressions of this step may use. */
  readonly names: readonly string[]
  readonly locked: boolean
  readonly onText: (text: string, typed?: boolean) => void
  readonly onRenamed: (id: string) => void
}

/** Every setting of a step as a field, with what its texts come to for the chosen row and slice below them. */
export function StepForm({ text, path, kind, slots, names, locked, onText, onRenamed }: Props): ReactElement {
  const { environment } = useHere()
  const connections = useAnswer(routes.connections, { query: { environment } })
  const datasets = useAnswer(routes.datasets, { query: { environment, limit: 1000 } })
  const [all, setAll] = useState(false)
  const raw = (valueAt(text, path) ?? {}) as Record<string, unknown> & {
    transfer?: Record<string, Record<string, unknown>>
  }
  const at = (dotted: string) =>
    dotted
      .split('.')
      .reduce<unknown>((value, key) => (value as Record<string, unknown> | undefined)?.[key], raw)
  const set = (dotted: string, value: unknown) =>
    onText(setAt(text, [...path, ...dotted.split('.')], value), true)
  const offered = ({ path: of, takes }: Field): readonly string[] => {
    if (takes.kind !== 'template' || !takes.offer) return []
    if (takes.offer !== 'table')
      return (connections.data ?? []).filter((one) => one.kind === takes.offer).map(({ name }) => name)
    const side = of.includes('.from.')
      ? 'transfer.from.connection'
      : kind === 'check'
        ? 'check.on'
        : 'transfer.into.connection'
    const on = slots.find((slot) => slot.path === side)?.resolved
    return (datasets.data?.datasets ?? [])
      .filter((one) => one.connection === on && (one.kind === 'table' || one.kind === 'view'))
      .map(({ locator }) => locator)
  }
  return (
    <div className="form-rows">
      <span className="label">name</span>
      <span className="line">
        <input
          key={String(raw.id)}
          className="mono"
          aria-label="id of the step"
          style={{ minWidth: 0 }}
          defaultValue={String(raw.id ?? '')}
          disabled={locked}
          onBlur={({ target }) => {
            if (target.value === raw.id || !/^[a-z][a-z0-9_-]{0,62}$/.test(target.value)) return
            onRenamed(target.value)
            set('id', target.value)
          }}
        />
        <input
          aria-label="title of the step"
          style={{ flex: 1, minWidth: 0 }}
          placeholder="what it does, in words"
          value={String(raw.title ?? '')}
          disabled={locked}
          onChange={(event) => set('title', event.target.value || undefined)}
        />
      </span>
      {sectionsOf(kind, raw).map((section) => (
        <Fragment key={section.title}>
          <h3>
            {section.head ? (
              <Head
                section={section}
                raw={raw}
                locked={locked}
                onPick={(fresh) => onText(setAt(text, [...path, 'transfer', section.head!], fresh))}
              />
            ) : (
              section.title
            )}
          </h3>
          {section.fields
            .filter((field) => !field.rare || all || at(field.path) !== undefined)
            .map((field) => {
              const slot = slots.find((one) => one.path === field.path)
              return (
                <Fragment key={field.path}>
                  <span className="label">{field.label}</span>
                  <div>
                    <FieldInput
                      label={`${section.title} ${field.label}`}
                      takes={field.takes}
                      value={at(field.path)}
                      locked={locked}
                      names={[...names, ...functions]}
                      texts={offered(field)}
                      onChange={(value) => set(field.path, value)}
                    />
                    {slot && <SlotResult slot={slot} />}
                  </div>
                </Fragment>
              )
            })}
        </Fragment>
      ))}
      {kind === 'transfer' && (
        <>
          <span style={{ gridColumn: '1 / -1' }}>
            <button type="button" className="link-button" onClick={() => setAll(!all)}>
              {all ? 'only what is set' : 'all settings of source and target'}
            </button>
          </span>
          <h3>done to columns on the way</h3>
          <ShapeRules
            list={raw.transfer?.shape}
            locked={locked}
            onChange={(list) => set('transfer.shape', list)}
          />
          <h3>types of a target that is made</h3>
          <Casts
            types={raw.transfer?.types}
            locked={locked}
            onChange={(types) => set('transfer.types', types)}
          />
          <h3>rows that do not fit</h3>
          <span className="label">rejects</span>
          <Rejects
            value={raw.transfer?.rejects}
            locked={locked}
            onChange={(value) => set('transfer.rejects', value)}
          />
          <h3>checked before anything is written</h3>
          <Checks
            list={raw.transfer?.check}
            locked={locked}
            onChange={(list) => set('transfer.check', list)}
          />
        </>
      )}
      {kind === 'check' && (
        <>
          <h3>what must hold</h3>
          <Checks
            list={at('check.that')}
            locked={locked}
            least={1}
            onChange={(list) => set('check.that', list)}
          />
        </>
      )}
    </div>
  )
}

/** From what kind of place, or into what kind; another kind begins anew. */
function Head({
  section,
  raw,
  locked,
  onPick,
}: {
  section: Section
  raw: { transfer?: Record<string, Record<string, unknown>> }
  locked: boolean
  onPick: (fresh: object) => void
}): ReactElement {
  const from = section.head === 'from'
  const kinds = from ? sources : targets
  const now = from ? sourceOf(raw.transfer ?? {}) : targetOf(raw.transfer ?? {})
  return (
    <>
      {section.title}{' '}
      <select
        aria-label={`${section.title} what`}
        value={now}
        disabled={locked}
        onChange={(event) => onPick((kinds as Record<string, { fresh: object }>)[event.target.value]!.fresh)}
      >
        {Object.entries(kinds).map(([kind, { label }]) => (
          <option key={kind} value={kind}>
            {label}
          </option>
        ))}
      </select>
    </>
  )
}

type RejectsValue = 'keep' | { up_to: number } | { share: number } | undefined

function Rejects({
  value,
  locked,
  onChange,
}: {
  value: unknown
  locked: boolean
  onChange: (value: RejectsValue) => void
}): ReactElement {
  const given = value as RejectsValue | 'fail'
  const kind = typeof given === 'object' ? ('up_to' in given ? 'up_to' : 'share') : (given ?? 'fail')
  const number = typeof given === 'object' ? ('up_to' in given ? given.up_to : given.share * 100) : 0
  const pick = (next: string, amount: number) =>
    onChange(
      next === 'keep'
        ? 'keep'
        : next === 'up_to'
          ? { up_to: amount }
          : next === 'share'
            ? { share: amount / 100 }
            : undefined,
    )
  return (
    <span className="line">
      <select
        aria-label="rejects"
        value={kind}
        disabled={locked}
        onChange={(event) => pick(event.target.value, 10)}
      >
        <option value="fail">the first fails the load</option>
        <option value="up_to">are kept, up to a number</option>
        <option value="share">are kept, up to a share</option>
        <option value="keep">are all kept</option>
      </select>
      {typeof given === 'object' && (
        <>
          <input
            type="number"
            aria-label="how many rejects"
            min={0}
            style={{ width: 80 }}
            value={number}
            disabled={locked}
            onChange={(event) => pick(kind, Number(event.target.value))}
          />
          <span className="soft">{kind === 'share' ? '% of the rows' : 'rows'}</span>
        </>
      )}
    </span>
  )
}
