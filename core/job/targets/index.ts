import { z } from 'zod'
import { field, mergedShape } from '../../field/field'
import { kindFields } from '../kinds'
import { oneOf } from '../sources/oneOf'
import { files } from './files'
import { table } from './table'

/** Every kind of target. */
export const targets = { table, files }

export type TargetKind = keyof typeof targets
export const targetKinds = Object.keys(targets) as TargetKind[]

/** Which kind of target it is, by the key of its place. */
export const targetKind = (into: Readonly<Record<string, unknown>>): TargetKind =>
  targetKinds.find((kind) => into[targets[kind].place] !== undefined) ?? 'table'

const intoKeys = z.strictObject(mergedShape(targets)).superRefine((into, context) => {
  const given = targetKinds.filter((kind) => into[targets[kind].place] !== undefined)
  const [kind] = given
  if (kind === undefined || given.length !== 1) return oneOf('target', targets, into, context)
  const own = targets[kind]
  const wrong = (message: string, key: string) => context.addIssue({ code: 'custom', message, path: [key] })
  if (into[own.what as keyof typeof into] === undefined)
    wrong(`${own.place} goes with ${own.what}`, own.place)
  for (const other of targetKinds) {
    if (other === kind) continue
    for (const [key, schema] of Object.entries(targets[other].shape))
      // a key with a preset is there whether or not it was given
      if (
        !(key in own.shape) &&
        schema instanceof z.ZodOptional &&
        into[key as keyof typeof into] !== undefined
      )
        wrong(`${key} goes with ${targets[other].place}`, key)
  }
  for (const { message, key } of own.judge(into)) wrong(message, key)
})

export const intoSchema = field(intoKeys, {
  kinds: { of: (into) => targetKind(into), all: kindFields(targets) },
})
