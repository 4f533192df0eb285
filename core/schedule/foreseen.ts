/** A part of a job's run as it is foreseen: its loads, and the lengths that like loads had. */
export interface NightPart {
  readonly loads: number
  /** Loads of it that run at the same time. */
  readonly atOnce: number
  /** The parts that it waits for, by their places. */
  readonly waits: readonly number[]
  /** Milliseconds that its loads took; one that knows none takes no time. */
  readonly lengths: readonly number[]
  /** The capped connections that the load of each length used, in the order of the lengths; none where it is left out. */
  readonly uses?: readonly (readonly string[])[] | undefined
  /** What its loads wait for: slices of jobs, and datasets, that meet those of its run. */
  readonly waitsFor?: { readonly jobs: readonly string[]; readonly datasets: readonly string[] } | undefined
  /** Milliseconds that its loads wait for that, from when the run was made; then they fail. However long where it is left out. */
  readonly atMost?: number | undefined
  /** It is done, too, where what it waits for failed. */
  readonly anyway?: boolean | undefined
}

/** Data time that a run takes; milliseconds since 1970, half-open. */
export interface NightSlice {
  readonly from: number
  readonly to: number
}

/** How a run must have ended for what follows it. */
export type EndedAs = 'done' | 'failed' | 'ended'

/** A job as it is foreseen. */
export interface NightJob {
  readonly job: string
  readonly parts: readonly NightPart[]
  /** What a second run does while one goes on. */
  readonly atOnceRuns: 'beside' | 'wait' | 'refuse'
  /** Times that its starts come at, milliseconds since 1970. */
  readonly times: readonly { readonly start: string; readonly at: number; readonly label?: string; readonly slice?: NightSlice }[]
  /** Its starts that wait for something. */
  readonly follows: readonly { readonly start: string; readonly jobs?: readonly string[]; readonly datasets?: readonly string[]; readonly all: boolean; readonly as?: EndedAs }[]
  /** The datasets that it refreshes. */
  readonly writes: readonly string[]
} // prettier-ignore

/** A run that goes on already: what each of its parts has left, and the loads that run. */
export interface NightRun {
  readonly job: string
  readonly run: number
  /** When it began; milliseconds since 1970. */
  readonly began: number
  readonly left: readonly number[]
  /** What loads of it wait for that is not there yet. */
  readonly waits?: readonly NightWait[] | undefined
}

/** What loads of a part of a run wait for. */
export interface NightWait {
  readonly part: number
  /** Loads that wait for it, among those that are left. */
  readonly loads: number
  readonly words: string
  /** When they wait no longer, and fail. */
  readonly givesUp?: number | undefined
  /** The jobs whose runs may bring it, with the data time where it is of one; of none, somebody has to. */
  readonly by: readonly { readonly job: string; readonly slice?: NightSlice | undefined }[]
}

/** Why a run does not end by itself: it waits for what nothing brings, or for a run of a job that is itself stuck. */
export type Stuck = { readonly words: string } | { readonly job: string }

export interface Night {
  readonly from: number
  readonly until: number
  readonly jobs: readonly NightJob[]
  readonly running: readonly NightRun[]
  /** Loads that all workers together run at once. */
  readonly workers: number
  /** Loads that may use a connection at once, for those that say. */
  readonly caps?: Readonly<Record<string, number>> | undefined
}

/** A run that is foreseen. Times in milliseconds since 1970. */
export interface Foreseen {
  readonly job: string
  readonly start: string | null
  readonly label: string | undefined
  /** When its start comes. */
  readonly at: number
  /** When its first load begins, and when it ends: the middle of what was played; a tenth ends before `low`, a tenth after `high`. */
  readonly begins: number
  readonly ends: number
  readonly low: number
  readonly high: number
  /** Places of the foreseen runs after which it begins. */
  readonly after: readonly number[]
  /** Nothing is known of how long it takes. */
  readonly unknown: boolean
  /** The run that goes on already. */
  readonly run: number | undefined
  /** When that began. */
  readonly began: number | undefined
  /** It is left out, since another of its job goes on. */
  readonly refused: boolean
  /** Nothing in the night brings what it waits for; `ends` is the end of the night then, or when it has given up. */
  readonly stuck?: Stuck | undefined
  /** When loads of it wait no longer for that, and fail. */
  readonly givesUp?: number | undefined
}

export interface Rehearsed {
  readonly runs: readonly Foreseen[]
  /** Loads that run at once, as steps: from each time on so many. */
  readonly busy: readonly { readonly at: number; readonly loads: number }[]
  /** Stretches in which loads waited for a place though their run had one: the workers were full. */
  readonly crowded: readonly Crowd[]
  /** The same of connections: there was room at the workers, and a connection had as many as it takes. */
  readonly capped: readonly (Crowd & { readonly connection: string })[]
}

/** A stretch in which loads waited for a place, and how many at most. */
export interface Crowd {
  readonly from: number
  readonly until: number
  readonly waiting: number
}
