interface Event<E> {
  readonly at: number
  /** Of two at the same time the smaller goes first. */
  readonly number: number
  readonly what: E
}

/** What is to happen, the earliest first; of two at the same time the one that was added first. A binary heap. */
export class Events<E> {
  private readonly heap: Event<E>[] = []
  private count = 0

  add(at: number, what: E): void {
    this.put({ at, number: this.count++, what })
  }

  private put(event: Event<E>): void {
    const { heap } = this
    heap.push(event)
    for (let place = heap.length - 1; place > 0; ) {
      const parent = (place - 1) >> 1
      if (!this.before(place, parent)) break
      this.swap(place, parent)
      place = parent
    }
  }

  next(): Event<E> | undefined {
    const { heap } = this
    const [first] = heap
    const last = heap.pop()
    if (!first || !last) return undefined
    if (heap.length > 0) {
      heap[0] = last
      for (let place = 0; ; ) {
        let least = 2 * place + 1
        if (least >= heap.length) break
        if (least + 1 < heap.length && this.before(least + 1, least)) least++
        if (!this.before(least, place)) break
        this.swap(place, least)
        place = least
      }
    }
    return first
  }

  /** When the next one is. */
  first(): number | undefined {
    return this.heap[0]?.at
  }

  /** The next one where it is at this very time. */
  at(time: number): Event<E> | undefined {
    return this.heap[0]?.at === time ? this.next() : undefined
  }

  private before(one: number, other: number): boolean {
    const a = this.heap[one]!
    const b = this.heap[other]!
    return a.at < b.at || (a.at === b.at && a.number < b.number)
  }

  private swap(one: number, other: number): void {
    const { heap } = this
    const held = heap[one]!
    heap[one] = heap[other]!
    heap[other] = held
  }
} // prettier-ignore
