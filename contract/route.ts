import { z } from 'zod'
import { faultCodes, type FaultCode } from '../core/faultCodes'
import '../core/issueWords'
import type { Right } from '../core/rights'

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
  /** Who may call it. */
  readonly needs: Needs
  /** What its `id`, or, of this name, a value of its body, is the number of; else its environment is what it says itself. */
  readonly of: InEnvironment | undefined
  /** Its text holds statements, which who may only look cannot make up: only what is saved is taken from them. */
  readonly typed: boolean
  /** Whoever may do it in some environment may call it: it takes effect in those alone. */
  readonly somewhere: boolean
  /** Only who signed in may call it, and no token: it is about who may come in. */
  readonly inPerson: boolean
  /** Other programs call it: it is signed itself, and comes from no page of ours. */
  readonly signed: boolean
  /** Many rows or documents may come with it. */
  readonly large: boolean
  /** Its answer, where that is no JSON. */
  readonly produces: readonly string[]
  /** Codes of the faults that are its own; those of signing in and of a request that cannot be read are common to all. */
  readonly faults: readonly FaultCode[]
}

/** Who may call a route: nobody in particular, or who has a right. */
export type Needs = 'nobody' | Right

/** A thing that lies in an environment, so that what a person may do there counts. */
export type InEnvironment = 'plan' | 'run' | 'try' | 'survey' | 'dataset' | 'pause'

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
  /** Who may call it; where it is left out, reading asks for looking, all else for building. */
  needs?: Needs
  of?: InEnvironment
  typed?: boolean
  somewhere?: boolean
  inPerson?: boolean
  signed?: boolean
  large?: boolean
  produces?: readonly string[]
  faults?: readonly FaultCode[]
}): Route<P, Q, B, R> {
  return {
    method: given.method,
    path: given.path,
    summary: given.summary,
    params: given.params ?? (nothing as unknown as P),
    query: given.query ?? (nothing as unknown as Q),
    body: given.body ?? (nothing as unknown as B),
    response: given.response ?? (nothing as unknown as R),
    needs: given.needs ?? (given.method === 'get' ? 'look' : 'build'),
    of: given.of,
    typed: given.typed ?? false,
    somewhere: given.somewhere ?? false,
    inPerson: given.inPerson ?? false,
    signed: given.signed ?? false,
    large: given.large ?? false,
    produces: given.produces ?? [],
    faults: given.faults ?? [],
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
export const faultSchema = z
  .object({
    code: z.enum(Object.keys(faultCodes) as [FaultCode, ...FaultCode[]]).describe('what kind of fault it is'),
    message: z.string().describe('what is wrong, and what can be done'),
    where: z
      .record(z.string(), z.unknown())
      .default({})
      .describe(
        'the place: job, part, step, path, row, slice, file, line and column as far as they are known',
      ),
  })
  .meta({ id: 'Fault', description: 'something wrong with what was asked or found' })
export const errorSchema = z
  .object({
    error: faultSchema,
    faults: z.array(faultSchema).optional().describe('all of them, where a document has several'),
  })
  .meta({ id: 'Error', description: 'why it could not be done' })
