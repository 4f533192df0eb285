import { nameFits } from '../shape/shape'

/**
 * Is a path (or `schema.table`) within a scope? It must fit one of the patterns to include, where there are any, and
 * none of those to exclude. `*` stands for any letters, slashes among them; a pattern without `*` also takes all that
 * lies below it as a folder or schema.
 */
export function inScope(path: string, include: readonly string[], exclude: readonly string[]): boolean {
  const fits = (pattern: string) =>
    nameFits(path, pattern) ||
    (!pattern.includes('*') && [`${pattern}/`, `${pattern}.`].some((start) => path.startsWith(start)))
  return (include.length === 0 || include.some(fits)) && !exclude.some(fits)
}
