/** Counts what happens by the minute, over the last sixty of them. */
export function lastHour(now: () => number = Date.now): { note(): void; count(): number } {
  const minutes = new Map<number, number>()
  const minute = () => Math.floor(now() / 60_000)
  const forget = () => {
    for (const at of minutes.keys()) if (at <= minute() - 60) minutes.delete(at)
  }
  return {
    note: () => void minutes.set(minute(), (minutes.get(minute()) ?? 0) + 1),
    count: () => {
      forget()
      return [...minutes.values()].reduce((sum, n) => sum + n, 0)
    },
  }
}
