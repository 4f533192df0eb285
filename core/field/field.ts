import { z } from 'zod'
import '../issueWords'
import type { SlotKind } from '../text/slot'

/** What a key of the grammar is to the person who sets it, and to those who read its text. */
export interface FieldMeta {
  /** What it is called beside its field; the key itself where there is none. */
  readonly label?: string
  /** What its text is called as a column of a plan; the label where there is none. */
  readonly column?: string
  /** A text with expressions, and how they become text. */
  readonly as?: SlotKind
  /** Of SQL: the key beside it that names the connection it runs on; from the root of its step where it begins with a slash. */
  readonly runsOn?: string
  /** It names one of these, so that they are offered: a connection of a kind, `control` (a control table), `table`. */
  readonly names?: string
  /** Seldom set: its field is shown where it is set, or when asked for. */
  readonly rare?: boolean
  /** It is a secret: what is typed is not shown. */
  readonly secret?: true
  /** Lines that its field begins with. */
  readonly lines?: number
  /** Stands in the empty field. */
  readonly usual?: string
  /** Its values in words. */
  readonly words?: Readonly<Record<string, string>>
  /** Of an object: exactly one of these keys is set, and says what kind it is. */
  readonly oneKind?: Readonly<Record<string, { readonly words: string; readonly fresh: unknown }>>
  /** Of an object: which keys it has depends on its kind, told by the keys that are set. */
  readonly kinds?: {
    readonly of: (given: Readonly<Record<string, unknown>>) => string
    readonly all: Readonly<
      Record<string, { readonly words: string; readonly keys: readonly string[]; readonly fresh: unknown }>
    >
  }
  /** Does it matter, with what is set beside it? */
  readonly when?: (beside: Readonly<Record<string, unknown>>) => boolean
}

/** What is known of schemas as fields. A clone of a schema (`.describe()`) has what its original has. */
export const fieldMeta = z.registry<FieldMeta>()

/** Says what a schema is as a field. */
export function field<S extends z.ZodType>(schema: S, meta: FieldMeta): S {
  // a copy of its own: the same schema may be another field elsewhere
  const own = schema.clone(undefined, { parent: true })
  fieldMeta.add(own, meta)
  return own
}

/** A text that may hold `{ … }` expressions. */
export const template = (meta: FieldMeta & { readonly as: SlotKind }) =>
  field(
    z
      .string()
      .min(1)
      .refine((text) => !text.includes('\0'), 'a text cannot hold a zero byte'),
    meta,
  )

export const columnName = z.string().min(1)
export const columnNames = z.array(columnName).min(1)
export const scalar = z.union([z.string(), z.number(), z.boolean(), z.null()])

/** What a field takes. */
export type FieldType =
  | { readonly kind: 'text' | 'number' | 'integer' | 'flag' | 'scalar' }
  | { readonly kind: 'choice'; readonly options: readonly string[] }
  | {
      readonly kind: 'list' | 'map'
      readonly of: FieldType
      readonly schema: z.ZodType
      /** The values of its entries in words. */
      readonly words?: FieldMeta['words']
    }
  | { readonly kind: 'group'; readonly fields: readonly Field[] }
  | { readonly kind: 'either'; readonly of: readonly FieldType[] }

/** A key of a schema, ready to be shown as a field. */
export interface Field extends FieldMeta {
  readonly key: string
  readonly label: string
  /** What it is, from the schema's description. */
  readonly says: string | undefined
  readonly required: boolean
  /** The value that holds where it is left out. */
  readonly preset: unknown
  readonly takes: FieldType
  readonly schema: z.ZodType
}

type Def = z.core.$ZodTypes['_zod']['def']
const defOf = (schema: z.core.$ZodType): Def => (schema as z.core.$ZodTypes)._zod.def

/** What is known of a schema under its wrappers: optional, with a default, nullable. */
function unwrapped(schema: z.core.$ZodType): {
  inner: z.core.$ZodType
  meta: FieldMeta
  says: string | undefined
  required: boolean
  preset: unknown
} {
  const own = fieldMeta.get(schema as z.ZodType) ?? {}
  const says = z.globalRegistry.get(schema)?.description
  const def = defOf(schema)
  if (def.type === 'optional' || def.type === 'default' || def.type === 'nullable') {
    const below = unwrapped(def.innerType)
    return {
      inner: below.inner,
      meta: { ...below.meta, ...own },
      says: says ?? below.says,
      required: false,
      preset: def.type === 'default' ? def.defaultValue : below.preset,
    }
  }
  if (def.type === 'lazy') return unwrapped(def.getter())
  return { inner: schema, meta: own, says, required: true, preset: undefined }
}

function takes(schema: z.core.$ZodType): FieldType {
  const { inner } = unwrapped(schema)
  const def = defOf(inner)
  switch (def.type) {
    case 'number':
      return { kind: (def as { format?: string }).format?.includes('int') ? 'integer' : 'number' }
    case 'boolean':
      return { kind: 'flag' }
    case 'enum':
      return { kind: 'choice', options: Object.values(def.entries).map(String) }
    case 'literal':
      return { kind: 'choice', options: def.values.map(String) }
    case 'array':
      return {
        kind: 'list',
        of: takes(def.element),
        schema: def.element as z.ZodType,
        words: unwrapped(def.element).meta.words,
      }
    case 'record':
      return { kind: 'map', of: takes(def.valueType), schema: def.valueType as z.ZodType }
    case 'object':
      return { kind: 'group', fields: fieldsOf(inner as z.ZodType) }
    case 'union': {
      const of = def.options.map(takes)
      return of.every(({ kind }) => ['text', 'number', 'integer', 'flag'].includes(kind))
        ? { kind: 'scalar' }
        : { kind: 'either', of }
    }
    case 'null':
      return { kind: 'text' }
    case 'string':
    case 'template_literal':
      return { kind: 'text' }
    default:
      throw new Error(`a schema of type ${def.type} has no field`)
  }
}

/** What a schema says of itself as a field, its wrappers taken off. */
export const metaOf = (schema: z.ZodType): FieldMeta => unwrapped(schema).meta

const known = new WeakMap<z.core.$ZodType, readonly Field[]>()

/** The keys of an object's schema as fields, in their order. What holds itself (a roster within a roster) is left out. */
export function fieldsOf(schema: z.ZodType): readonly Field[] {
  const found = known.get(schema)
  if (found) return found
  const def = defOf(unwrapped(schema).inner)
  if (def.type !== 'object') return []
  const fields: Field[] = []
  known.set(schema, fields)
  for (const [key, one] of Object.entries(def.shape)) {
    const { inner, meta, says, required, preset } = unwrapped(one)
    fields.push({
      label: key,
      ...meta,
      key,
      says,
      required,
      preset,
      takes: takes(one),
      schema: inner as z.ZodType,
    })
  }
  return fields
}

/** A text with expressions somewhere below a schema. */
export interface TextField {
  /** Keys joined by dots, such as `from.files`; `*` stands for the places of a list or the keys of a map. */
  readonly path: string
  readonly as: SlotKind
  readonly column: string
  readonly names: FieldMeta['names']
  readonly runsOn: FieldMeta['runsOn']
}

/** The texts with expressions below an object's schema, in the order of its keys; lists of objects and maps of texts hold some. */
export const textFieldsOf = (schema: z.ZodType): TextField[] => textsIn(fieldsOf(schema), '')

function textsIn(fields: readonly Field[], below: string): TextField[] {
  return fields.flatMap(({ key, as, label, column = label, names, runsOn, takes: type }) => {
    const path = below + key
    if (as !== undefined) return [{ path, as, column, names, runsOn }]
    const inMap = type.kind === 'map' ? metaOf(type.schema).as : undefined
    if (inMap !== undefined)
      return [{ path: `${path}.*`, as: inMap, column, names: undefined, runsOn: undefined }]
    if (type.kind === 'list' && type.of.kind === 'group') return textsIn(type.of.fields, `${path}.*.`)
    return type.kind === 'group' ? textsIn(type.fields, `${path}.`) : []
  })
}

/** Shapes that share their keys put together as one; a key that several have is the same schema in each. */
export function mergedShape<D extends Readonly<Record<string, { readonly shape: z.ZodRawShape }>>>(
  definitions: D,
): Merged<D> {
  return Object.assign({}, ...Object.values(definitions).map(({ shape }) => shape)) as Merged<D>
}
type Merged<D extends Readonly<Record<string, { readonly shape: z.ZodRawShape }>>> = Flat<
  Both<D[keyof D]['shape']>
>
type Both<U> = (U extends unknown ? (one: U) => void : never) extends (all: infer I) => void ? I : never
type Flat<T> = { [K in keyof T]: T[K] }
