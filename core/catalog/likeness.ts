/**
 * Jaro's likeness of two strings, 0 to 1: Jaro, "Advances in record-linkage methodology as applied to matching the
 * 1985 census of Tampa, Florida", Journal of the American Statistical Association 84 (1989).
 */
export function jaro(a: string, b: string): number {
  if (a === b) return 1
  if (a.length === 0 || b.length === 0) return 0
  const window = Math.max(0, Math.floor(Math.max(a.length, b.length) / 2) - 1)
  const taken = new Array<boolean>(b.length).fill(false)
  const common: string[] = []
  for (let i = 0; i < a.length; i++) {
    const end = Math.min(b.length, i + window + 1)
    for (let j = Math.max(0, i - window); j < end; j++) {
      if (taken[j] || a[i] !== b[j]) continue
      taken[j] = true
      common.push(a[i]!)
      break
    }
  }
  if (common.length === 0) return 0
  let at = 0
  let out = 0
  for (let j = 0; j < b.length; j++) if (taken[j] && b[j] !== common[at++]) out++
  const m = common.length
  return (m / a.length + m / b.length + (m - out / 2) / m) / 3
}

/**
 * Jaro's likeness raised for a common beginning of up to four letters, with scale 0.1: Winkler, "String comparator
 * metrics and enhanced decision rules in the Fellegi-Sunter model of record linkage" (1990).
 */
export function jaroWinkler(a: string, b: string): number {
  const base = jaro(a, b)
  let prefix = 0
  while (prefix < 4 && prefix < a.length && a[prefix] === b[prefix]) prefix++
  return base + prefix * 0.1 * (1 - base)
}

/** Words of a column's name in lower case: `readAt`, `read_at` and `Read at` are the same two. */
function words(name: string): string[] {
  return name
    .replace(/([a-z0-9])([A-Z])/g, '$1 $2')
    .toLowerCase()
    .split(/[^\p{L}\p{N}]+/u)
    .filter((word) => word !== '')
}

/** How like two names of columns are, 0 to 1; 1 where they are the same words, in any order or writing. */
export function likeness(a: string, b: string): number {
  const [x, y] = [words(a), words(b)]
  const sorted = (list: string[]) => [...list].sort().join('')
  return Math.max(jaroWinkler(x.join(''), y.join('')), jaroWinkler(sorted(x), sorted(y)) * 0.99)
}
