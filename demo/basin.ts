/** Ostrel Basin Water, an invented utility. */
export const zone = 'Europe/Oslo'
export const districts = ['thornby', 'aldmere', 'brackwell', 'sallow', 'corrie', 'hexley'] as const

export interface Kind {
  readonly kind: string
  readonly prefix: string
  readonly target: string
  readonly column: string
  readonly meters: number
  /** Minutes between readings. */
  readonly every: number
  readonly usual: number
  readonly swing: number
  readonly due: string
  /** Districts whose feed is active. */
  readonly active: readonly string[]
}

export const kinds: readonly Kind[] = [
  {
    kind: 'flow',
    prefix: 'flow',
    target: 'flow_reading',
    column: 'flow_lps',
    meters: 12,
    every: 15,
    usual: 42,
    swing: 18,
    due: '05:30',
    active: districts,
  },
  {
    kind: 'pressure',
    prefix: 'press',
    target: 'pressure_reading',
    column: 'bar',
    meters: 8,
    every: 15,
    usual: 4.1,
    swing: 0.6,
    due: '05:45',
    active: districts,
  },
  {
    kind: 'level',
    prefix: 'level',
    target: 'level_reading',
    column: 'metres',
    meters: 4,
    every: 15,
    usual: 3.2,
    swing: 0.9,
    due: '06:00',
    active: districts,
  },
  {
    kind: 'chlorine',
    prefix: 'chlor',
    target: 'chlorine_reading',
    column: 'mg_per_l',
    meters: 6,
    every: 60,
    usual: 0.42,
    swing: 0.15,
    due: '05:30',
    active: ['thornby', 'aldmere', 'sallow'],
  },
  {
    kind: 'turbidity',
    prefix: 'turb',
    target: 'turbidity_reading',
    column: 'ntu',
    meters: 6,
    every: 60,
    usual: 0.3,
    swing: 0.2,
    due: '05:30',
    active: ['brackwell', 'corrie'],
  },
  {
    kind: 'power',
    prefix: 'power',
    target: 'power_reading',
    column: 'kw',
    meters: 5,
    every: 30,
    usual: 61,
    swing: 25,
    due: '06:15',
    active: ['thornby', 'hexley'],
  },
]

export interface Feed {
  readonly feed: string
  readonly connection: string
  readonly district: string
  readonly kind: string
  readonly prefix: string
  readonly target: string
  readonly due: string
  readonly active: boolean
  readonly note: string | null
}

/** The rows of feed_control: 38 of districts, two of Dunmoor reservoir, one of them put aside with a wrong target. */
export function feeds(): Feed[] {
  const list: Feed[] = kinds.flatMap(({ kind, prefix, target, due, active }) =>
    districts.map((district) => ({
      feed: `${kind}_${district}`,
      connection: 'gauge-drop',
      district,
      kind,
      prefix,
      target,
      due,
      active: active.includes(district),
      note: active.includes(district) ? null : 'no gauges yet',
    })),
  )
  const dunmoor = { connection: 'gauge-drop', district: 'dunmoor', note: null }
  list.push({
    ...dunmoor,
    feed: 'level_dunmoor',
    kind: 'level',
    prefix: 'level',
    target: 'level_reading',
    due: '06:00',
    active: true,
  })
  list.push({
    ...dunmoor,
    feed: 'flow_dunmoor',
    kind: 'flow',
    prefix: 'flow',
    target: 'flow_reading',
    due: '05:30',
    active: true,
  })
  list.push({
    ...dunmoor,
    feed: 'pressure_dunmoor',
    kind: 'pressure',
    prefix: 'press',
    target: 'flow_reading',
    due: '05:45',
    active: false,
    note: 'put aside: the target is wrong',
  })
  return list
}

export const kindOf = (name: string): Kind => kinds.find(({ kind }) => kind === name)!
/** Feeds that send files: the active ones, and the one that is put aside. */
export const sendingFeeds = (): Feed[] =>
  feeds().filter(({ active, district }) => active || district === 'dunmoor')
