import { z } from 'zod'
import { parseDocument } from 'yaml'

const map = z.record(z.string(), z.unknown())
const steps = z.array(map).nullish()

/** Maps and lists where a job has them, whatever stands in them. */
const frame = z.object({
  parameters: z.record(z.string(), map).nullish(),
  slices: map.nullish(),
  starts: z.array(map).nullish(),
  parts: z.array(
    z.object({
      once: steps,
      do: steps,
      each: z.object({ roster: map.nullish() }).nullish(),
    }),
  ),
})

/**
 * Whether forms can go on with a text, mistakes in it or not: one that is half typed, as each is on the way to the next.
 * They cannot with a text that is no YAML, or with something else where a job has its parts, steps or starts.
 */
export function formable(text: string): boolean {
  const document = parseDocument(text)
  if (document.errors.length > 0) return false
  try {
    return frame.safeParse(document.toJS()).success
  } catch {
    // an alias of nothing, or of too much
    return false
  }
}
