import { z } from 'zod'
import { errorSchema } from './route'
import { routes } from './routes'

const json = (schema: z.ZodType, io: 'input' | 'output') => ({
  'application/json': { schema: plain(z.toJSONSchema(schema, { io, unrepresentable: 'any' })) },
})

function plain(schema: object): object {
  return Object.fromEntries(Object.entries(schema).filter(([name]) => name !== '$schema'))
}

/** The API in OpenAPI 3.1, whose schemas are JSON Schema 2020-12. */
export function openApi(): object {
  const paths: Record<string, Record<string, object>> = {}
  for (const [operationId, route] of Object.entries(routes)) {
    const path = route.path.replace(/:(\w+)/g, '{$1}')
    const parameters = (['params', 'query'] as const).flatMap((place) => {
      const schema = z.toJSONSchema(route[place], { io: 'input', unrepresentable: 'any' }) as {
        properties?: Record<string, object>
        required?: string[]
      }
      return Object.entries(schema.properties ?? {}).map(([name, of]) => ({
        name,
        in: place === 'params' ? 'path' : 'query',
        required: place === 'params' || (schema.required ?? []).includes(name),
        schema: of,
      }))
    })
    paths[path] = {
      ...paths[path],
      [route.method]: {
        operationId,
        summary: route.summary,
        ...(parameters.length > 0 ? { parameters } : {}),
        ...(route.method === 'post' || route.method === 'put'
          ? { requestBody: { required: true, content: json(route.body, 'input') } }
          : {}),
        responses: {
          '200': { description: 'done', content: json(route.response, 'output') },
          default: {
            description: 'what went wrong, where, and what to do',
            content: json(errorSchema, 'output'),
          },
        },
        security: route.open ? [] : [{ session: [] }, { token: [] }],
      },
    }
  }
  return {
    openapi: '3.1.0',
    info: {
      title: 'Mattock',
      version: '1',
      description: 'See every load before it runs; prove every load after it ran.',
    },
    paths,
    components: {
      securitySchemes: {
        session: { type: 'apiKey', in: 'cookie', name: 'mattock_session' },
        token: { type: 'http', scheme: 'bearer' },
      },
    },
  }
}
