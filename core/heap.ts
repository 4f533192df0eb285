/** A binary heap of numbers by key, least first. */
export class Heap {
  private keys: number[] = []
  private items: number[] = []

  get size(): number {
    return this.keys.length
  }

  get leastKey(): number {
    return this.keys[0]!
  }

  push(key: number, item: number): void {
    const { keys, items } = this
    let at = keys.length
    keys.push(key)
    items.push(item)
    while (at > 0) {
      const parent = (at - 1) >> 1
      if (keys[parent]! <= key) break
      keys[at] = keys[parent]!
      items[at] = items[parent]!
      at = parent
    }
    keys[at] = key
    items[at] = item
  }

  pop(): number {
    const { keys, items } = this
    const least = items[0]!
    const key = keys.pop()!
    const item = items.pop()!
    if (keys.length > 0) {
      let at = 0
      for (;;) {
        let child = 2 * at + 1
        if (child >= keys.length) break
        if (child + 1 < keys.length && keys[child + 1]! < keys[child]!) child++
        if (keys[child]! >= key) break
        keys[at] = keys[child]!
        items[at] = items[child]!
        at = child
      }
      keys[at] = key
      items[at] = item
    }
    return least
  }
}
