/** What a load may use at most, so that no file and no job can stop what runs beside it. */
export interface Limits {
  /** Bytes of memory that a worker may hold; one that holds more ends, and a load that does it twice is run apart with as much. */
  readonly memory: number
  /** Milliseconds that a load may take. */
  readonly time: number
  /** Milliseconds before a step is tried again after a fault that may pass; then 4, 16 and 30 times as long. */
  readonly pause: number
  /** Milliseconds that a load waits for a lock that another holds. */
  readonly lockWait: number
  /** Milliseconds of silence after which a worker is held dead and its loads are given to others. */
  readonly silence: number
  /** Milliseconds in which a load must have ended that was asked to stop. */
  readonly stopWithin: number
  /** Columns of a source. */
  readonly columns: number
  /** Bytes of one line of a text file. */
  readonly line: number
  /** Brackets within brackets of a JSON document. */
  readonly depth: number
  /** Bytes that come out of a packed file for each that is in it. */
  readonly unpacked: number
  /** Files in an archive. */
  readonly entries: number
}

/** Name of the setting, its unit, what it is where nothing is set. */
const settings: { readonly [K in keyof Limits]: readonly [name: string, unit: number, usual: number] } = {
  memory: ['MATTOCK_MEMORY_MB', 2 ** 20, 2048],
  time: ['MATTOCK_LOAD_MINUTES', 60_000, 12 * 60],
  pause: ['MATTOCK_PAUSE_MS', 1, 500],
  lockWait: ['MATTOCK_LOCK_WAIT_SECONDS', 1000, 300],
  silence: ['MATTOCK_SILENCE_SECONDS', 1000, 15],
  stopWithin: ['MATTOCK_STOP_SECONDS', 1000, 2],
  columns: ['MATTOCK_COLUMNS', 1, 2000],
  line: ['MATTOCK_LINE_MB', 2 ** 20, 16],
  depth: ['MATTOCK_JSON_DEPTH', 1, 200],
  unpacked: ['MATTOCK_UNPACKED_TIMES', 1, 200],
  entries: ['MATTOCK_ARCHIVE_ENTRIES', 1, 10_000],
}

/** The limits as the environment sets them. @throws where one is no number above 0 */
export function readLimits(environment: Readonly<Record<string, string | undefined>>): Limits {
  return Object.fromEntries(
    Object.entries(settings).map(([key, [name, unit, usual]]) => {
      const given = environment[name]
      const value = given === undefined || given === '' ? usual : Number(given)
      if (!(value > 0 && Number.isFinite(value)))
        throw new Error(`${name} takes a number above 0; it is "${given}"`)
      return [key, value * unit]
    }),
  ) as unknown as Limits
}
