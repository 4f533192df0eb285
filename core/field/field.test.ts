import { describe, expect, it } from 'vitest'
import { z } from 'zod'
import { connectionKinds, connectorOf } from '../connection/connection'
import { eachSchema, jobSchema, parameterSchema } from '../job/document'
import { slicesSchema } from '../slice/spec'
import { rosterKinds, rosters } from '../job/rosters'
import { stepDefinition, stepKinds, textsOfKind } from '../job/steps'
import { field, fieldMeta, fieldsOf, metaOf, template, textFieldsOf, type Field } from './field'

describe('the fields of a schema', () => {
  const schema = z.strictObject({
    name: z.string().describe('what it is called'),
    size: field(z.int().min(1), { label: 'how large', usual: '10' }).optional(),
    ratio: z.number().default(0.5),
    on: z.boolean().default(true),
    mode: field(z.enum(['a', 'b']), { words: { a: 'the first' } }).default('a'),
    tags: z.array(z.string()).optional(),
    pairs: z.record(z.string(), z.enum(['x', 'y'])).optional(),
    inside: z.strictObject({ path: template({ as: 'path', label: 'file' }) }).optional(),
    either: z.union([z.enum(['all']), z.strictObject({ up_to: z.int() })]).optional(),
    plain: z.union([z.string(), z.number(), z.boolean(), z.null()]).optional(),
  })
  const byKey = Object.fromEntries(fieldsOf(schema).map((one) => [one.key, one])) as Record<string, Field>

  it.each([
    ['name', 'text'],
    ['size', 'integer'],
    ['ratio', 'number'],
    ['on', 'flag'],
    ['mode', 'choice'],
    ['tags', 'list'],
    ['pairs', 'map'],
    ['inside', 'group'],
    ['either', 'either'],
  ])('%s takes %s', (key, kind) => expect(byKey[key]!.takes.kind).toBe(kind))

  it('sees through optional, default and null', () => {
    expect(byKey.name).toMatchObject({ required: true, preset: undefined, says: 'what it is called' })
    expect(byKey.size).toMatchObject({ required: false, label: 'how large', usual: '10' })
    expect(byKey.ratio).toMatchObject({ required: false, preset: 0.5 })
    expect(byKey.on!.preset).toBe(true)
    expect(byKey.mode).toMatchObject({ preset: 'a', words: { a: 'the first' } })
  })

  it('keeps a schema that is a field twice apart', () => {
    const shared = z.array(z.string())
    const named = field(shared, { label: 'names' })
    expect(metaOf(named).label).toBe('names')
    expect(metaOf(shared).label).toBeUndefined()
    expect(metaOf(named.optional().describe('more')).label).toBe('names')
  })

  it('finds texts with expressions, however deep', () => {
    expect(textFieldsOf(schema)).toEqual([
      { path: 'inside.path', as: 'path', column: 'file', names: undefined },
    ])
  })

  it('lets a copy made by describe keep what it is', () => {
    const described = template({ as: 'sql', names: 'postgres' }).describe('a statement')
    expect(fieldMeta.get(described)).toMatchObject({ as: 'sql', names: 'postgres' })
  })
})

/** Keys of an object's schema by the published JSON Schema, which knows nothing of fields. */
function keysOf(schema: z.ZodType): string[] {
  const { properties = {} } = z.toJSONSchema(schema, { io: 'input', unrepresentable: 'any' }) as {
    properties?: Record<string, unknown>
  }
  return Object.keys(properties)
}

/** Fields without a description, by their path. */
function undescribed(fields: readonly Field[], path: string): string[] {
  return fields.flatMap(({ key, says, takes }) => [
    ...(says === undefined ? [`${path}.${key}`] : []),
    ...(takes.kind === 'group' && key !== 'inner' ? undescribed(takes.fields, `${path}.${key}`) : []),
  ])
}

describe('the grammar', () => {
  const schemas: [string, z.ZodType][] = [
    ...stepKinds.map((kind) => [`step ${kind}`, stepDefinition(kind).schema] as [string, z.ZodType]),
    ...rosterKinds.map((kind) => [`roster ${kind}`, rosters[kind].schema] as [string, z.ZodType]),
    ...connectionKinds.map(
      (kind) => [`connection ${kind}`, connectorOf(kind).settings] as [string, z.ZodType],
    ),
    ['parameter', parameterSchema],
    ['slices', slicesSchema],
    ['each', eachSchema],
    ['job', jobSchema],
  ]

  it.each(schemas)('%s: every key has its field', (_name, schema) => {
    expect(fieldsOf(schema).map(({ key }) => key)).toEqual(keysOf(schema))
  })

  it.each(schemas)('%s: every key says what it is', (name, schema) => {
    expect(undescribed(fieldsOf(schema), name)).toEqual([])
  })

  it('shows every key of a source or a target for some kind of it', () => {
    const transfer = fieldsOf(stepDefinition('transfer').schema)
    for (const side of ['from', 'into']) {
      const own = transfer.find(({ key }) => key === side)!
      const { kinds } = metaOf(own.schema)
      const shown = new Set(Object.values(kinds!.all).flatMap(({ keys }) => keys))
      expect([...shown].sort()).toEqual(keysOf(own.schema).sort())
    }
  })

  it('has the texts of transfers in the order in which they are read', () => {
    expect(textsOfKind('transfer').map(({ path }) => path)).toEqual([
      'from.store', 'from.files', 'from.dataset', 'from.connection', 'from.table', 'from.query', 'from.service', 'from.path',
      'into.connection', 'into.table', 'into.store', 'into.file', 'since.kept_as',
    ]) // prettier-ignore
  })
})
