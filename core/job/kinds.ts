import type { z } from 'zod'

import { someNames, type Beginnings } from './beginnings'

interface Defined {
  readonly schema: z.ZodType
}

/** What each kind of a registry is given, as its schema reads it. */
export type Specs<D extends Readonly<Record<string, Defined>>> = {
  readonly [K in keyof D]: z.output<D[K]['schema']>
}

/** One kind with what it is given: kind and spec belong together. */
export type Given<D extends Readonly<Record<string, Defined>>, K extends keyof D = keyof D> = {
  readonly [One in K]: { readonly kind: One; readonly spec: Specs<D>[One] }
}[K]

/** An optional key for each kind of a registry, for a document that holds exactly one of them. */
export function optionalKinds<D extends Readonly<Record<string, Defined>>>(
  definitions: D,
): { [K in keyof D]: z.ZodOptional<D[K]['schema']> } {
  return Object.fromEntries(
    Object.entries(definitions).map(([kind, { schema }]) => [kind, schema.optional()]),
  ) as { [K in keyof D]: z.ZodOptional<D[K]['schema']> }
}

/** The kinds of a registry whose key a value has. */
export const kindsIn = <D extends object>(definitions: D, value: object): (keyof D & string)[] =>
  (Object.keys(definitions) as (keyof D & string)[]).filter(
    (kind) => (value as Partial<Record<string, unknown>>)[kind] !== undefined,
  )

/**
 * The one kind that a value has, with what it is given.
 * @throws Error where it has none: its schema lets no such value through
 */
export function givenKind<D extends Readonly<Record<string, Defined>>>(
  definitions: D,
  value: object,
): Given<D> {
  const [kind] = kindsIn(definitions, value)
  if (kind === undefined) throw new Error(`none of ${Object.keys(definitions).join(', ')} is given`)
  return { kind, spec: (value as Record<string, unknown>)[kind] } as Given<D>
}

/** The kinds of a registry of sources or targets as a form offers them. */
export const kindFields = (
  definitions: Readonly<
    Record<
      string,
      {
        readonly words: string
        readonly shape: z.ZodRawShape
        readonly fresh: (names: Beginnings) => unknown
      }
    >
  >,
) =>
  Object.fromEntries(
    Object.entries(definitions).map(([kind, { words, shape, fresh }]) => [
      kind,
      { words, keys: Object.keys(shape), fresh: fresh(someNames) },
    ]),
  )
