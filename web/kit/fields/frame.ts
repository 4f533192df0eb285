import type { ReactElement } from 'react'
import type { Field } from '../../../core/field/field'

/** What is offered where a text names something, by what it names. */
export type Offers = (names: string, path: FieldPath) => readonly string[]

/** What a map of a document holds. */
export type Given = Readonly<Record<string, unknown>>

/** Keys and places in lists, from the root of the form. */
export type FieldPath = readonly (string | number)[]

/** What all fields of a form share. */
export interface FieldFrame {
  readonly locked: boolean
  /** Names that expressions may use. */
  readonly expressions: readonly string[]
  readonly offers: Offers
  /** Stands below a field, such as what its text comes to; undefined for nothing. */
  readonly below?: (path: FieldPath) => ReactElement | undefined
  /** What is wrong with what stands at a path. */
  readonly fault?: (path: FieldPath) => string | undefined
  /** Sets what stands at a path; without it, each object gives its whole to the one around it. */
  readonly onSet?: (path: FieldPath, value: unknown) => void
  /** The group at a path was left; not told of one that says by its name what the group around it is. */
  readonly onLeave?: (path: FieldPath) => void
}

export interface FieldProps {
  readonly field: Field
  readonly path: FieldPath
  /** Said by a screen reader: the names of the groups it is in, and its own. */
  readonly said: string
  readonly value: unknown
  readonly onChange: (value: unknown) => void
  readonly frame: FieldFrame
  /** It says what the group around it is, so that it stays when it is empty. */
  readonly stays?: boolean
}
