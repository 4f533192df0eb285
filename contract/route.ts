import { z } from 'zod'

/** One operation of the API. Server, web, command and OpenAPI are all made from these. */
export interface Route<
  P extends z.ZodType = z.ZodType,
  Q extends z.ZodType = z.ZodType,
  B extends z.ZodType = z.ZodType,
  R extends z.ZodType = z.ZodType,
> {
  readonly method: 'get' | 'post' | 'put' | 'delete'
  /** With `:name` for each path parameter. */
  readonly path: string
  readonly summary: string
  readonly params: P
  readonly query: Q
  readonly body: B
  readonly response: R
  /** May be called without being signed in. */
  readonly open: boolean
}

const nothing = z.object({})

/** Declares a route; what is left out is empty. */
export function route<
  P extends z.ZodType = typeof nothing,
  Q extends z.ZodType = typeof nothing,
  B extends z.ZodType = typeof nothing,
  R extends z.ZodType = typeof nothing,
>(given: {
  method: Route['method']
  path: string
  summary: string
  params?: P
  query?: Q
  body?: B
  response?: R
  open?: boolean
}): Route<P, Q, B, R> {
  return {
    method: given.method,
    path: given.path,
    summary: given.summary,
    params: given.params ?? (nothing as unknown as P),
    query: given.query ?? (nothing as unknown as Q),
    body: given.body ?? (nothing as unknown as B),
    response: given.response ?? (nothing as unknown as R),
    open: given.open ?? false,
  }
}

export type Params<T> = T extends Route<infer P, z.ZodType, z.ZodType, z.ZodType> ? z.input<P> : never
export type Query<T> = T extends Route<z.ZodType, infer Q, z.ZodType, z.ZodType> ? z.input<Q> : never
export type Body<T> = T extends Route<z.ZodType, z.ZodType, infer B, z.ZodType> ? z.input<B> : never
export type Answer<T> = T extends Route<z.ZodType, z.ZodType, z.ZodType, infer R> ? z.output<R> : never

/** The address of a route with its path and query filled in. */
export function addressOf(
  route: Route,
  params: Record<string, unknown> = {},
  query: Record<string, unknown> = {},
): string {
  const path = route.path.replace(/:(\w+)/g, (_, name: string) => encodeURIComponent(String(params[name])))
  const search = new URLSearchParams()
  for (const [name, value] of Object.entries(query)) {
    if (value !== undefined && value !== null && value !== '') search.set(name, String(value))
  }
  const text = search.toString()
  return text ? `${path}?${text}` : path
}

/** What every fault looks like on the wire. */
export const faultSchema = z.object({
  code: z.string(),
  message: z.string(),
  where: z.record(z.string(), z.unknown()).default({}),
})
export const errorSchema = z.object({ error: faultSchema, faults: z.array(faultSchema).optional() })
