import type { ReactElement } from 'react'

/** Where a place stands in the left column. */
export type Room = 'Watch' | 'Build' | 'Ship'

export interface Place {
  readonly path: string
  readonly load: () => Promise<{ default: () => ReactElement }>
  /** What it is called in the left column and in go-to; places that are opened from another have none. */
  readonly name?: string
  readonly room?: Room
  /** Pages that belong to it, marked in the left column as it is itself. */
  readonly also?: readonly string[]
  /** What is waiting there, said beside its name. */
  readonly counts?: 'decisions'
}

/** Every place: the router, the left column and go-to are made from this table. */
export const places: readonly Place[] = [
  {
    path: '/',
    name: 'Morning sheet',
    room: 'Watch',
    counts: 'decisions',
    load: () => import('./places/morning/Morning'),
  },
  {
    path: '/coverage',
    name: 'Coverage',
    room: 'Watch',
    load: () => import('./places/coverage/Coverage'),
  },
  {
    path: '/arrivals',
    name: 'Arrivals',
    room: 'Watch',
    load: () => import('./places/arrivals/Arrivals'),
  },
  { path: '/starts', name: 'Starts', room: 'Watch', load: () => import('./places/starts/Starts') },
  {
    path: '/ledger',
    name: 'Ledger',
    room: 'Watch',
    also: ['/runs'],
    load: () => import('./places/ledger/Ledger'),
  },
  {
    path: '/control',
    name: 'Control tables',
    room: 'Build',
    load: () => import('./places/control/ControlTables'),
  },
  {
    path: '/jobs',
    name: 'Jobs',
    room: 'Build',
    also: ['/jobs-in', '/plans', '/tries'],
    load: () => import('./places/jobs/Jobs'),
  },
  {
    path: '/catalog',
    name: 'Catalog',
    room: 'Build',
    also: ['/surveys'],
    load: () => import('./places/catalog/Catalog'),
  },
  {
    path: '/connections',
    name: 'Connections',
    room: 'Build',
    load: () => import('./places/connections/Connections'),
  },
  { path: '/alerts', name: 'Alerts', room: 'Ship', load: () => import('./places/alerts/Alerts') },
  { path: '/workers', name: 'Workers', room: 'Ship', load: () => import('./places/workers/Workers') },
  { path: '/people', name: 'People', room: 'Ship', load: () => import('./places/people/People') },
  { path: '/runs/:id', load: () => import('./places/run/Run') },
  { path: '/runs/:id/loads/:load/mend', load: () => import('./places/run/Mend') },
  { path: '/control/:name', load: () => import('./places/control/ControlTable') },
  { path: '/jobs-in', load: () => import('./places/jobs/BringInJobs') },
  { path: '/jobs/:name', load: () => import('./places/jobs/Job') },
  { path: '/plans/:id', load: () => import('./places/plan/Plan') },
  { path: '/tries/:id', load: () => import('./places/try/Try') },
  { path: '/catalog/job', load: () => import('./places/catalog/OneJob') },
  { path: '/catalog/:id', load: () => import('./places/catalog/Dataset') },
  { path: '/surveys', load: () => import('./places/survey/Surveys') },
  { path: '/surveys/:id', load: () => import('./places/survey/Survey') },
  { path: '/kept', name: 'What is kept', load: () => import('./places/keeping/Keeping') },
  { path: '/connections/:name', load: () => import('./places/connections/Content') },
  { path: '*', load: () => import('./places/Nowhere') },
]

/** The places of the left column, by room, in their order. */
export const rooms: readonly (readonly [Room, readonly Place[]])[] = (
  ['Watch', 'Build', 'Ship'] as const
).map((room) => [room, places.filter((place) => place.room === room)])

/** Does a page belong to a place? */
export const belongsTo = ({ path, also = [] }: Place, page: string): boolean =>
  path === '/' ? page === '/' : [path, ...also].some((one) => page === one || page.startsWith(`${one}/`))

/** Keys that work on every page, or on those that say so. */
export const keyWords = [
  ['/', 'go to a job, table, dataset, connection or run'],
  ['arrows, j k', 'move in a list'],
  ['Enter', 'open'],
  ['x', 'pick; with Shift and an arrow, several'],
  ['Ctrl+C', 'copy the row as text'],
  ['p', 'plan the job'],
  ['t', 'try it with a row or a few'],
  ['r', 'rerun what failed'],
  ['f', 'find, in the catalog'],
  ['e', 'edit the columns of a dataset'],
  ['Ctrl+S', 'save'],
  ['?', 'this list'],
] as const
