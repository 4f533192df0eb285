/**
 * The names through which one comes to another, both ends included; undefined where it does not. Breadth first: the
 * shortest.
 */
export function wayTo(
  wanted: string,
  from: string,
  next: (name: string) => readonly string[],
): string[] | undefined {
  const before = new Map<string, string | undefined>([[from, undefined]])
  for (const [name] of before) {
    if (name === wanted) {
      const way: string[] = []
      for (let at: string | undefined = name; at !== undefined; at = before.get(at)) way.unshift(at)
      return way
    }
    for (const after of next(name)) if (!before.has(after)) before.set(after, name)
  }
  return undefined
}
