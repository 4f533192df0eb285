import { z } from 'zod'
import { faultCodes, type FaultCode } from '../core/faultCodes'
import { glossary } from './glossary'
import { plainRoutes, type PlainRoute } from './plain'
import { errorSchema, type Route } from './route'
import { routes } from './routes'

type Schema = Record<string, unknown>

/** Named schemas, met on the way. */
type Named = Record<string, Schema>

/** A JSON Schema whose names stand in the document’s own list, and whose properties all say what they are. */
function schemaOf(schema: z.ZodType, io: 'input' | 'output', named: Named): Schema {
  const {
    $schema: _,
    $defs,
    ...own
  } = z.toJSONSchema(schema, { io, unrepresentable: 'any' }) as Schema & {
    $defs?: Named
  }
  for (const [name, of] of Object.entries($defs ?? {})) named[name] ??= described(of) as Schema
  return described(own) as Schema
}

/** Every property with a description: its own, else the one its name has everywhere. */
function described(value: unknown): unknown {
  if (Array.isArray(value)) return value.map(described)
  if (typeof value !== 'object' || value === null) return value
  return Object.fromEntries(
    Object.entries(value).map(([key, inner]) => {
      if (key === '$ref') return [key, String(inner).replace('#/$defs/', '#/components/schemas/')]
      if (key !== 'properties') return [key, described(inner)]
      return [
        key,
        Object.fromEntries(
          Object.entries(inner as Record<string, Schema>).map(([name, of]) => {
            const text = glossary[name]
            const says = of.description === undefined && text !== undefined ? { description: text } : {}
            return [name, described({ ...of, ...says })]
          }),
        ),
      ]
    }),
  )
}

const pathOf = (path: string): string => path.replace(/:(\w+)/g, '{$1}')

/** The resource that an address is of: its first part. */
const tagOf = (path: string): string => /^\/api\/([a-z-]+)/.exec(path)?.[1] ?? 'api'

const statusWords: Readonly<Record<number, string>> = {
  400: 'what was asked cannot be done as it was asked',
  401: 'nobody is signed in',
  403: 'this account may not do it, or the request does not come from Mattock’s own pages',
  404: 'what is named is not there',
  409: 'something stands in the way now: another’s change, a stop, a run that goes on or has ended',
  422: 'the document has mistakes; each is told with its place',
  429: 'too many tries',
  500: 'Mattock made a mistake; its log says more',
}

const fault = (status: number): object => ({
  description: statusWords[status] ?? 'it cannot be done',
  content: { 'application/json': { schema: { $ref: '#/components/schemas/Error' } } },
})

/** Statuses that can come of a route, besides what it is there for. */
function statuses({ method, needs, path, faults }: Route): number[] {
  const own: FaultCode[] = [...faults, 'request', 'internal']
  if (needs !== 'nobody') own.push('signed-out')
  if (needs !== 'look' || method !== 'get') own.push('forbidden')
  if (path.includes(':')) own.push('unknown-name')
  if (method !== 'get') own.push('conflict', 'document')
  return [...new Set(own.map((code) => faultCodes[code]))].sort((a, b) => a - b)
}

function operation(operationId: string, route: Route, named: Named): object {
  const parameters = (['params', 'query'] as const).flatMap((place) => {
    const { properties = {}, required = [] } = schemaOf(route[place], 'input', named) as {
      properties?: Record<string, Schema>
      required?: string[]
    }
    return Object.entries(properties).map(([name, { description, ...of }]) => ({
      name,
      in: place === 'params' ? 'path' : 'query',
      required: place === 'params' || required.includes(name),
      description,
      schema: of,
    }))
  })
  const answer = { schema: schemaOf(route.response, 'output', named) }
  const changes = route.method !== 'get'
  const header = {
    name: 'x-mattock',
    in: 'header',
    required: false,
    description:
      'any value; needed of a browser session, so that no other page can change anything. A token needs none',
    schema: { type: 'string' },
  }
  return {
    operationId,
    tags: [tagOf(route.path)],
    summary: route.summary,
    'x-needs': route.needs,
    parameters: [...parameters, ...(changes ? [header] : [])],
    ...(route.method === 'post' || route.method === 'put'
      ? {
          requestBody: {
            required: true,
            content: { 'application/json': { schema: schemaOf(route.body, 'input', named) } },
          },
        }
      : {}),
    responses: {
      '200': {
        description: 'done',
        content:
          route.produces.length > 0
            ? Object.fromEntries(route.produces.map((type) => [type, {}]))
            : { 'application/json': answer },
      },
      ...Object.fromEntries(statuses(route).map((status) => [String(status), fault(status)])),
    },
    security: route.needs === 'nobody' ? [] : [{ session: [] }, { token: [] }],
  }
}

/** The API in OpenAPI 3.1, whose schemas are JSON Schema 2020-12. */
export function openApi(): object {
  const named: Named = {}
  const paths: Record<string, Record<string, object>> = {}
  const put = (path: string, method: string, of: object) => {
    paths[pathOf(path)] = { ...paths[pathOf(path)], [method]: of }
  }
  for (const [operationId, route] of Object.entries(routes) as [string, Route][])
    put(route.path, route.method, operation(operationId, route, named))
  for (const [operationId, plain] of Object.entries(plainRoutes) as [string, PlainRoute][]) {
    const { method, path, summary, needs, produces, answer, also } = plain
    const content = { [produces]: answer ? { schema: schemaOf(answer, 'output', named) } : {} }
    const names = [...path.matchAll(/:(\w+)/g)].map(([, name]) => name!)
    put(path, method, {
      operationId,
      tags: [tagOf(path)],
      summary,
      'x-needs': needs,
      parameters: names.map((name) => ({
        name,
        in: 'path',
        required: true,
        description: glossary[name] ?? `number of the ${name}`,
        schema: { type: 'string' },
      })),
      responses: {
        '200': { description: summary, content },
        ...(also === undefined ? {} : { [also]: { description: summary, content } }),
        ...(needs === 'nobody' ? {} : { '401': fault(401) }),
        ...(names.length > 0 ? { '404': fault(404) } : {}),
      },
      security: needs === 'nobody' ? [] : [{ session: [] }, { token: [] }],
    })
  }
  schemaOf(z.object({ error: errorSchema }), 'output', named)
  return {
    openapi: '3.1.0',
    info: {
      title: 'Mattock',
      version: '1',
      description: 'See every load before it runs; prove every load after it ran.',
    },
    tags: [...new Set(Object.keys(paths).map(tagOf))].map((name) => ({ name })),
    paths,
    components: {
      schemas: named,
      securitySchemes: {
        session: {
          type: 'apiKey',
          in: 'cookie',
          name: 'mattock_session',
          description: 'where the address has a port, `_` and the port behind the name',
        },
        token: { type: 'http', scheme: 'bearer' },
      },
    },
  }
}
