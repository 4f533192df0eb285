import type { z } from 'zod'

interface Kind {
  readonly place: string
  readonly what: string
}

const listed = (words: readonly string[]): string =>
  words.length < 2 ? (words[0] ?? '') : `${words.slice(0, -1).join(', ')}, or ${words.at(-1)}`

/** Holds that exactly one kind of source, or of target, is given: its place, and what of it. */
export function oneOf(
  what: string,
  kinds: Readonly<Record<string, Kind>>,
  given: Readonly<Record<string, unknown>>,
  context: z.RefinementCtx,
): void {
  const all = Object.values(kinds)
  const places = [...new Set(all.map(({ place }) => place))]
  const wants = (place: string) => all.filter((kind) => kind.place === place).map((kind) => kind.what)
  const there = places.filter((place) => given[place] !== undefined)
  const [place] = there
  const wrong = (message: string, path: string[]) => context.addIssue({ code: 'custom', message, path })
  if (place === undefined || there.length !== 1)
    return wrong(`one ${what}: ${listed(places.map((one) => `${one} and ${wants(one).join(' or ')}`))}`, [])
  const wanted = wants(place)
  const named = [...new Set(all.map((kind) => kind.what))].filter((key) => given[key] !== undefined)
  const other = named.find((key) => !wanted.includes(key))
  if (other !== undefined) wrong(`${other} does not go with ${place}`, [other])
  else if (named.length !== 1) wrong(`${place} goes with ${wanted.join(' or ')}`, [place])
}
