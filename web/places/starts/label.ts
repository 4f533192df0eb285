/** A stretch of a row, in pixels. */
interface Stretch {
  readonly from: number
  readonly until: number
}

/**
 * Where the words of a deadline stand: behind its mark, or before it, so that they lie over no bar of their row; the
 * shorter ones where the longer have no room; behind it, where neither has. Places are pixels.
 */
export function placeLabel(texts: readonly string[], mark: number, bars: readonly Stretch[], room: Stretch) {
  const gap = 6
  for (const text of texts) {
    const width = text.length * 6.3
    for (const before of [false, true]) {
      const [from, until] = before ? [mark - gap - width, mark - gap] : [mark + gap, mark + gap + width]
      const free = bars.every((bar) => Math.max(bar.until, bar.from + 5) < from - 2 || bar.from > until + 2)
      if (free && from >= room.from && until <= room.until) return { text, before, at: before ? until : from }
    }
  }
  const before = mark + gap + texts[0]!.length * 6.3 > room.until
  return { text: texts.at(-1)!, before, at: mark + (before ? -gap : gap) }
} // prettier-ignore
