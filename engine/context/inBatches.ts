/** Works through items, `width` at a time; the first that fails fails all. */
export async function inBatches<T>(
  items: readonly T[],
  width: number,
  work: (item: T) => Promise<void>,
): Promise<void> {
  let next = 0
  const runner = async () => {
    while (next < items.length) await work(items[next++]!)
  }
  await Promise.all(Array.from({ length: Math.min(width, items.length) }, runner))
}
