import { z } from 'zod'
import { describe, expect, it } from 'vitest'
import { may } from '../core/rights'
import { glossary } from './glossary'
import { openApi } from './openapi'
import { plainRoutes } from './plain'
import type { Route } from './route'
import { routes } from './routes'

interface Schema {
  readonly $ref?: string
  readonly description?: string
  readonly properties?: Readonly<Record<string, Schema>>
}
interface Operation {
  readonly operationId: string
  readonly tags: readonly string[]
  readonly parameters: readonly {
    readonly name: string
    readonly in: string
    readonly description?: string
  }[]
  readonly responses: Readonly<Record<string, { readonly content?: Readonly<Record<string, unknown>> }>>
  readonly security: readonly unknown[]
}
const document = openApi() as {
  readonly paths: Readonly<Record<string, Readonly<Record<string, Operation>>>>
  readonly components: { readonly schemas: Readonly<Record<string, Schema>> }
}
const operations = Object.entries(document.paths).flatMap(([path, methods]) =>
  Object.entries(methods).map(([method, operation]) => ({ path, method, ...operation })),
)
const all = Object.entries(routes) as [string, Route][]

/** Every schema in the document. */
function* schemas(value: unknown, path = ''): Generator<[string, Schema]> {
  if (typeof value !== 'object' || value === null) return
  yield [path, value]
  for (const [key, inner] of Object.entries(value)) yield* schemas(inner, `${path}/${key}`)
}

describe('the description of the API', () => {
  it('has every route, and every address beside them', () => {
    expect(operations.map(({ operationId }) => operationId).sort()).toEqual(
      [...Object.keys(routes), ...Object.keys(plainRoutes)].sort(),
    )
  })

  it('says of every property what it is', () => {
    const silent = [...schemas(document)].flatMap(([path, { properties }]) =>
      Object.entries(properties ?? {})
        .filter(([, { description }]) => !description)
        .map(([name]) => `${path}: ${name}`),
    )
    expect(silent).toEqual([])
  })

  it('says of every parameter what it is', () => {
    const silent = operations.flatMap(({ operationId, parameters }) =>
      parameters.filter(({ description }) => !description).map(({ name }) => `${operationId}: ${name}`),
    )
    expect(silent).toEqual([])
  })

  it('refers to schemas that are there', () => {
    for (const [path, { $ref }] of schemas(document))
      if ($ref !== undefined && typeof $ref === 'string')
        expect(document.components.schemas, `${path}: ${$ref}`).toHaveProperty($ref.split('/').at(-1)!)
  })

  it('names its resources', () => {
    for (const { operationId, tags } of operations) expect(tags[0], operationId).toMatch(/^[a-z-]+$/)
  })

  it('tells the status of who is not signed in, wherever one must be', () => {
    for (const { operationId, security, responses } of operations)
      // a call of another program is signed, and nobody signs in for it
      expect(security.length > 0 || operationId === 'callStart', operationId).toBe('401' in responses)
  })

  it('has the path parameters of every address', () => {
    for (const { path, parameters } of operations) {
      const named = [...path.matchAll(/\{(\w+)\}/g)].map(([, name]) => name)
      expect(parameters.filter((one) => one.in === 'path').map(({ name }) => name)).toEqual(named)
    }
  })

  it('takes no number that the store has no place for', () => {
    const wide: string[] = []
    const look = (schema: unknown, path: string): void => {
      if (typeof schema !== 'object' || schema === null) return
      const { type, maximum = Infinity } = schema as { type?: string; maximum?: number }
      if ((type === 'integer' || type === 'number') && maximum > 2 ** 31 - 1) wide.push(path)
      for (const [key, below] of Object.entries(schema)) look(below, `${path}.${key}`)
    }
    for (const [name, route] of all)
      for (const part of ['params', 'query', 'body'] as const)
        look(
          z.toJSONSchema(route[part], { io: 'input', unrepresentable: 'any', reused: 'inline' }),
          `${name} ${part}`,
        )
    // values of a parameter and widths of columns are no numbers of anything
    expect(wide.filter((path) => !/^callStart .*parameters|^keepForMe .*widths/.test(path))).toEqual([])
  })

  it('knows files by their media types', () => {
    const of = (id: string) =>
      Object.keys(operations.find(({ operationId }) => operationId === id)!.responses['200']!.content!)
    expect(of('rejectsFile')).toEqual(['text/csv'])
    expect(of('events')).toEqual(['text/event-stream'])
    expect(of('planFile')).toContain('application/sarif+json')
  })

  it('has words in the glossary that are sentences, not names', () => {
    for (const [name, text] of Object.entries(glossary)) expect(text, name).toMatch(/^\S.{3,}[^.]$/)
  })
})

describe('who may call what', () => {
  it.each(all)('%s: only reading is left to who may look, or it changes nothing', (name, route) => {
    // what a POST may be that changes nothing: working something out, planning, keeping one's own settings
    const harmless = [
      'checkJob',
      'playStarts', 'builtOn', 'playAlert',
      'previewStarts', 'resolveJob', 'mapping', 'makePlan', 'draftOneJob', 'controlEffect', 'jobEffect',
      'previewRoster', 'forecastPlan', 'rerunOutlook', 'keepForMe', 'signOut',
      // one's own doors
      'endSignIn', 'makeToken', 'takeToken',
    ] // prettier-ignore
    if (route.method !== 'get' && route.needs === 'look') expect(harmless).toContain(name)
  })

  it('lets nobody in who is not signed in, but to the sign-in itself', () => {
    expect(
      all.filter(([, { needs, signed }]) => needs === 'nobody' && !signed).map(([name]) => name),
    ).toEqual([
      'session',
      'signIn',
      // who has the address of an invitation has no account yet
      'invitation',
    ])
  })

  it('takes typed statements only from who may change jobs', () => {
    expect(
      all
        .filter(([, { typed }]) => typed)
        .map(([name]) => name)
        .sort(),
    ).toEqual(['jobEffect', 'mapping', 'previewRoster', 'resolveJob'])
  })

  it.each([
    ['reader', 'look', true], ['reader', 'run', false], ['reader', 'build', false], ['reader', 'house', false],
    ['operator', 'look', true], ['operator', 'run', true], ['operator', 'build', false], ['operator', 'house', false],
    ['engineer', 'look', true], ['engineer', 'run', true], ['engineer', 'build', true], ['engineer', 'house', false],
    ['keeper', 'look', true], ['keeper', 'run', true], ['keeper', 'build', true], ['keeper', 'house', true],
  ] as const)('a %s may %s: %s', (role, right, answer) => expect(may({ role }, right)).toBe(answer)) // prettier-ignore

  it('goes by the environment, but for the house, and no further than the token that stands for them', () => {
    const holder = { role: 'engineer', environments: { live: 'reader', dev: 'keeper' } } as const
    expect(may(holder, 'run', 'live')).toBe(false)
    expect(may(holder, 'build', 'staging')).toBe(true)
    expect(may(holder, 'house', 'dev')).toBe(false)
    expect(may({ ...holder, atMost: 'look' }, 'run', 'staging')).toBe(false)
    expect(may({ role: 'reader', atMost: 'house' }, 'run')).toBe(false)
  })
})
