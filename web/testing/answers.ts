import type { Answer } from '../../contract/route'
import type { routes } from '../../contract/routes'

/** Answers of the server as pages show them, each with what matters in a test set by it. */

type Brief = Answer<typeof routes.runs>['runs'][number]
type Run = Answer<typeof routes.run>
type Load = Answer<typeof routes.runLoads>['loads'][number]
type LoadDetail = Answer<typeof routes.runLoad>
type Plan = Answer<typeof routes.plan>
type Connection = Answer<typeof routes.connections>[number]

export const noRows = { read: 0, written: 0, unchanged: 0, rejected: 0, filtered: 0, merged: 0 }

export const runBrief = (more: Partial<Brief> = {}): Brief => ({
  id: 7,
  job: 'gauge-readings',
  title: 'Gauge readings',
  environment: 'dev',
  version: 3,
  state: 'done',
  by: 'Ana',
  cause: 'by hand',
  rerunOf: null,
  span: null,
  createdAt: '2026-11-24T03:10:00.000Z',
  startedAt: '2026-11-24T03:10:01.000Z',
  endedAt: '2026-11-24T03:11:13.000Z',
  counts: { ...noRows, read: 1200, written: 1200 },
  loads: { done: 12 },
  unbalanced: 0,
  ...more,
})

export const run = (more: Partial<Run> = {}): Run => ({
  ...runBrief(),
  plan: 70,
  parts: [],
  heldBy: null,
  calledBy: null,
  unreached: [],
  begunBy: null,
  cameAfter: [],
  zone: 'Europe/Oslo',
  stopping: false,
  clockOffset: 0,
  left: null,
  causes: [],
  ...more,
})

export const load = (more: Partial<Load> = {}): Load => ({
  id: 501,
  number: 1,
  part: 0,
  each: true,
  key: 'flow_corrie · 2026-11-23',
  state: 'done',
  attempt: 1,
  worker: 2,
  waitsFor: null,
  startedAt: '2026-11-24T03:10:02.000Z',
  endedAt: '2026-11-24T03:10:05.000Z',
  read: 100,
  written: 100,
  unchanged: 0,
  rejected: 0,
  filtered: 0,
  merged: 0,
  message: null,
  steps: [{ step: 'bring-in', state: 'done', from: 1000, to: 4000 }],
  ...more,
})

export const loadDetail = (more: Partial<LoadDetail> = {}): LoadDetail => ({
  ...load(),
  row: { feed: 'flow_corrie', district: 'corrie', note: null },
  slice: { from: '2026-11-22T23:00:00.000Z', to: '2026-11-23T23:00:00.000Z', label: '2026-11-23' },
  bytes: 4096,
  error: null,
  repeats: null,
  letGo: null,
  attempts: [],
  detail: [],
  controls: [],
  ...more,
})

export const stepDetail = (
  more: Partial<LoadDetail['detail'][number]> = {},
): LoadDetail['detail'][number] => ({
  step: 'bring-in',
  kind: 'transfer',
  state: 'done',
  attempt: 1,
  startedAt: '2026-11-24T03:10:02.000Z',
  endedAt: '2026-11-24T03:10:05.000Z',
  ...noRows,
  bytes: 4096,
  resolved: [{ path: 'transfer.from.files', text: 'flow_corrie_20261123.csv' }],
  statements: [],
  files: [],
  rejectReasons: {},
  checks: [],
  hasRejects: false,
  tries: [],
  keptFrom: null,
  called: null,
  log: [],
  ...more,
})

export const plan = (more: Partial<Plan> = {}): Plan => ({
  id: 70,
  job: 'gauge-readings',
  title: 'Gauge readings',
  version: 3,
  environment: 'dev',
  createdAt: '2026-11-24T03:00:00.000Z',
  by: 'Ana',
  parameters: {},
  only: null,
  picks: null,
  span: '2026-11-23',
  loads: 2,
  left: 0,
  parts: [
    {
      index: 0,
      steps: [{ id: 'bring-in', title: 'bring-in', kind: 'transfer', slots: [] }],
      atOnce: 4,
      each: true,
      columns: [{ name: 'feed', type: 'text' }],
      rows: 2,
      slices: 1,
      differing: {
        columns: [{ id: 'row.feed', label: 'feed', kind: 'row' }],
        same: [{ label: 'into table', text: 'raw.reading' }],
      },
    } as unknown as Plan['parts'][number],
  ],
  findings: [],
  forecast: null,
  stops: 0,
  ...more,
})

export const planLoad = (number: number, key: string, more: object = {}): Answer<typeof routes.planLoads>['loads'][number] => ({
  number,
  part: 0,
  key,
  each: true,
  cells: [key],
  files: null,
  codes: [],
  left: false,
  ...more,
}) // prettier-ignore

export const connection = (more: Partial<Connection> = {}): Connection => ({
  name: 'warehouse',
  kind: 'postgres',
  title: 'Warehouse',
  cap: 8,
  needs: [],
  active: 0,
  settings: [
    {
      environment: 'dev',
      settings: { host: '127.0.0.1', port: 5432, database: 'wh', user: 'keeper' },
      hasSecret: true,
      updatedAt: '2026-11-20T10:00:00.000Z',
      updatedBy: 'Ana',
    },
  ],
  ...more,
})
