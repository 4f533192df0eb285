/** Names that stand for something else while a file is read. */
const reserved = /^mattock_/i

/** Names for columns that nobody named. */
export const unnamed = (width: number): string[] => Array.from({ length: width }, (_, i) => `column_${i + 1}`)

export interface DistinctNames {
  readonly names: readonly string[]
  /** What was done to the header's names, in words. */
  readonly said: readonly string[]
}

/**
 * The names of a header as names of columns, each one another: blanks around them do not count, a cell without a name
 * is named by its place, and of names that are the same, or differ in case only, the later ones are numbered. No column
 * is left out.
 */
export function distinctNames(header: readonly string[]): DistinctNames {
  const plain = header.map((name) => name.trim().replace(/\s*[\r\n]+\s*/g, ' '))
  const taken = new Set(plain.filter((name) => name !== '').map((name) => name.toLowerCase()))
  const given = new Set<string>()
  const said: string[] = []
  const free = (name: string, first: number): string => {
    for (let n = first; ; n++) {
      const tried = `${name}_${n}`
      if (!taken.has(tried.toLowerCase()) && !given.has(tried.toLowerCase())) return tried
    }
  }
  const names = plain.map((name, i) => {
    let own = name
    if (name === '') {
      own = taken.has(`column_${i + 1}`) ? free(`column_${i + 1}`, 2) : `column_${i + 1}`
      said.push(`column ${i + 1} has no name in the header: ${own}`)
    } else if (given.has(name.toLowerCase()) || reserved.test(name)) {
      own = free(name, 2)
      said.push(
        reserved.test(name)
          ? `"${name}" is a name of Mattock's own: ${own}`
          : `column ${i + 1} is called "${name}", as another is: ${own}`,
      )
    }
    given.add(own.toLowerCase())
    return own
  })
  return { names, said }
}
