/** Milliseconds for which the same is not said again. */
const hour = 3_600_000
/** Different things that are kept in mind at most. */
const most = 2000

interface Said {
  at: number
  /** How often it came since it was said. */
  again: number
}

/** Keeps what lasts from being said again and again: at once, and then by the hour. */
export class Repeats {
  private readonly known = new Map<string, Said>()

  constructor(private readonly now: () => number = () => performance.now()) {}

  /** Something comes. Returns how often it came unsaid before where it is to be said now, undefined where it is not. */
  seen(what: string): number | undefined {
    const now = this.now()
    const said = this.known.get(what)
    if (said && now - said.at < hour) {
      said.again++
      return undefined
    }
    // the one that was said longest ago goes first
    this.known.delete(what)
    this.known.set(what, { at: now, again: 0 })
    if (this.known.size > most) this.known.delete(this.known.keys().next().value!)
    return said?.again ?? 0
  }
}
