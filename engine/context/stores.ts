import { existsSync } from 'node:fs'
import { realpath } from 'node:fs/promises'
import { basename, delimiter, dirname, join, resolve, sep } from 'node:path'

/** Below which folders file stores may lie. */
export interface StorePlaces {
  readonly allowed: readonly string[]
  /** Mattock's own data folder: no store holds it, nor lies in it but where that is allowed. */
  readonly own: string
}

/** What the demo makes in its data folder. */
const demoStores = ['gauge-drop', 'lab-post', 'lake', 'landing']

/**
 * The places as the environment sets them: MATTOCK_STORES has folders with colons between; without it, `stores` in the
 * data folder, and the demo's own.
 */
export function readStorePlaces(
  environment: Readonly<Record<string, string | undefined>>,
  dataFolder: string,
): StorePlaces {
  const demo = existsSync(join(dataFolder, 'demo')) ? demoStores : []
  const given = (environment.MATTOCK_STORES ?? '').split(delimiter).filter((folder) => folder !== '')
  const own = [...(given.length > 0 ? [] : ['stores']), ...demo]
  return { allowed: [...given, ...own.map((name) => join(dataFolder, name))], own: dataFolder }
}

const holds = (outer: string, inner: string): boolean => inner === outer || inner.startsWith(outer.endsWith(sep) ? outer : outer + sep) // prettier-ignore

/** Where a path leads, links followed; of what is not there yet, where it would. */
async function wouldBe(path: string): Promise<string> {
  try {
    return await realpath(path)
  } catch {
    const above = dirname(path)
    return above === path ? path : join(await wouldBe(above), basename(path))
  }
}

/** Why a folder may be no store, links followed; undefined where it may. */
export async function storeRefusal(
  folder: string,
  { allowed, own }: StorePlaces,
): Promise<string | undefined> {
  const root = await wouldBe(resolve(folder))
  const places = await Promise.all(allowed.map((place) => wouldBe(resolve(place))))
  const within = places.filter((place) => holds(place, root))
  const data = await wouldBe(own)
  if (holds(root, data)) return `${folder} holds Mattock’s own data`
  // an allowed place that holds the data folder does not open what lies in it
  if (holds(data, root) && !within.some((place) => place !== data && holds(data, place)))
    return `${folder} lies in Mattock’s own data`
  if (within.length === 0)
    return `${folder} lies below none of the folders that stores may lie in (${allowed.join(', ')}); MATTOCK_STORES says which`
  return undefined
}
