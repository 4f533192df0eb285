import type { Counts } from '../core/balance/balance'
import { fileDeeds } from '../core/job/fileWorks'
import { checkKindSchema, stepKindSchema } from './kinds'
import { z } from 'zod'
import { roleNames } from '../core/rights'
import { connectionKinds } from '../core/connection/connection'

import { runStates } from '../core/runState'
import { valueTypes } from '../core/value'
import { faultSchema } from './route'

export const valueSchema = z.union([z.string(), z.number(), z.boolean(), z.null()])
export const rowSchema = z.record(z.string(), valueSchema)
export const columnSchema = z.object({ name: z.string(), type: z.enum(valueTypes) })
export const levelSchema = z.enum(['stop', 'look', 'note'])
export const stateSchema = z.enum(runStates)

export const accountSchema = z.object({
  email: z.string(),
  name: z.string(),
  role: z.enum(roleNames),
  environments: z
    .record(z.string(), z.enum(roleNames))
    .describe('what they are in single environments, where that is something else'),
})
export const environmentSchema = z.object({ name: z.string(), live: z.boolean() })
export const tableSettingsSchema = z
  .object({
    widths: z.record(z.string(), z.number()).describe('pixels, by column'),
    hidden: z.array(z.string()).describe('columns that are not shown'),
    sort: z
      .array(z.object({ id: z.string().describe('the column'), desc: z.boolean().describe('largest first') }))
      .describe('what it is sorted by, the first first'),
  })
  .describe('how a person has set up a table')

export const sessionSchema = z.object({
  account: accountSchema.nullable(),
  environments: z.array(environmentSchema),
  start: z.string().describe('the environment that the pages open in'),
  tables: z.record(z.string(), tableSettingsSchema).describe('tables as this person has set them up'),
  organisation: z.string(),
  /** Accounts to try, shown by a demo only. */
  demo: z.array(z.object({ email: z.string(), password: z.string(), role: z.string() })),
})

/** What a person gives of an account of their own. */
export const newAccount = {
  email: z.email('an e-mail address is needed').max(200).describe('the address they sign in with'),
  name: z.string().trim().min(1, 'needs a value').max(100).describe('what others see beside what they did'),
  password: z.string().min(10, 'ten letters at least').max(200).describe('ten letters at least'),
}

export const testStepSchema = z.object({
  label: z.string(),
  ok: z.boolean(),
  detail: z.string(),
  milliseconds: z.number(),
})
export const testSchema = z.object({ ok: z.boolean(), steps: z.array(testStepSchema) })
export const settingsSchema = z.record(z.string(), z.union([z.string(), z.number()]))
export const connectionSchema = z.object({
  name: z.string(),
  kind: z.enum(connectionKinds),
  title: z.string(),
  cap: z.number().nullable(),
  needs: z.array(z.string()).describe('tags that a worker must have to reach it'),
  /** Loads that use it now, in the environment asked for. */
  active: z.number(),
  settings: z.array(
    z.object({
      environment: z.string(),
      settings: settingsSchema,
      hasSecret: z.boolean(),
      updatedAt: z.string(),
      updatedBy: z.string(),
    }),
  ),
})

const counts = {
  read: z.number(),
  written: z.number(),
  unchanged: z.number(),
  rejected: z.number(),
  filtered: z.number(),
  merged: z.number().default(0),
} satisfies Record<keyof Counts, z.ZodType>
export const countsSchema = z.object(counts)

export const runBriefSchema = z.object({
  id: z.number(),
  job: z.string(),
  title: z.string(),
  environment: z.string(),
  version: z.number(),
  state: stateSchema,
  by: z.string(),
  cause: z.string(),
  rerunOf: z.number().nullable(),
  span: z.string().nullable(),
  createdAt: z.string(),
  startedAt: z.string().nullable(),
  endedAt: z.string().nullable(),
  counts: countsSchema,
  loads: z.record(z.string(), z.number()),
  /** Loads that finished and whose rows do not add up. */
  unbalanced: z.number(),
})

export const jobBriefSchema = z.object({
  name: z.string(),
  title: z.string(),
  tags: z.array(z.string()),
  version: z.number(),
  runsIn: z.array(z.object({ environment: z.string(), version: z.number() })),
  savedAt: z.string(),
  savedBy: z.string(),
  slices: z.string().nullable(),
  rosters: z.array(z.string()),
  steps: z.number(),
  lastRun: z.object({ id: z.number(), state: stateSchema, at: z.string() }).nullable(),
})
export const slotSchema = z.object({
  step: z.string(),
  path: z.string(),
  kind: z.enum(['text', 'path', 'table', 'sql', 'address']),
  text: z.string(),
})
const orderShape = {
  track: z.number().describe('how far in it stands, so that what runs side by side stands beside each other'),
  level: z.number().describe('how many must have ended before it, along the longest way'),
  waits: z.array(z.number()).describe('places of those it waits for, in the same list'),
  when: z.string().describe('done, failed, ended, or an expression'),
  hold: z.boolean().describe('the run or the load stops after it for a look'),
}
export const outlineStepSchema = z.object({
  ...orderShape,
  id: z.string(),
  title: z.string(),
  kind: stepKindSchema,
  off: z.boolean(),
  note: z.string().nullable(),
  /** Settings that are no expressions, in words. */
  settings: z.array(z.object({ label: z.string(), text: z.string() })),
  line: z.number(),
})
export const outlinePartSchema = z.object({
  ...orderShape,
  id: z.string().nullable().describe('names the part, where others wait for it'),
  index: z.number(),
  kind: z.enum(['once', 'each']),
  title: z.string().nullable(),
  roster: z.string().nullable(),
  atOnce: z.number().nullable(),
  sliced: z.boolean(),
  line: z.number(),
  steps: z.array(outlineStepSchema),
})
export const outlineSchema = z.object({
  name: z.string(),
  title: z.string(),
  note: z.string().nullable(),
  slices: z.object({ every: z.string(), zone: z.string(), from: z.string() }).nullable(),
  due: z
    .string()
    .nullable()
    .describe('by when a run is to be done: a time of the clock, or a duration after it began'),
  starts: z
    .array(z.object({ id: z.string(), text: z.string() }))
    .describe('what makes a run begin by itself, in words'),
  parameters: z.array(
    z.object({
      name: z.string(),
      type: z.string(),
      default: valueSchema,
      try: valueSchema,
      oneOf: z.array(valueSchema).nullable(),
      note: z.string().nullable(),
      required: z.boolean(),
    }),
  ),
  parts: z.array(outlinePartSchema),
})
export const jobSchema = z.object({
  name: z.string(),
  version: z.number(),
  newest: z.number(),
  text: z.string(),
  savedAt: z.string(),
  savedBy: z.string(),
  message: z.string(),
  versions: z.array(z.object({ version: z.number(), at: z.string(), by: z.string(), message: z.string() })),
  runsIn: z.array(z.object({ environment: z.string(), version: z.number(), by: z.string(), at: z.string() })),
  outline: outlineSchema,
  newestSlice: z.string().nullable(),
})
export const checkedSchema = z.object({ outline: outlineSchema.nullable(), faults: z.array(faultSchema) })
export const rosterSchema = z.object({
  columns: z.array(columnSchema),
  key: z.array(z.string()),
  /** Rows before the filter, after it, and those that the search leaves. */
  before: z.number(),
  total: z.number(),
  found: z.number(),
  rows: z.array(z.object({ key: z.string(), row: rowSchema })),
  findings: z.array(z.object({ code: z.string(), level: levelSchema, message: z.string() })),
})
export const resolvedSchema = z.object({
  /** Rows to choose from: at most 50 that fit the search, and how many there are. */
  rows: z.array(z.string()),
  rowCount: z.number(),
  row: z.string().nullable(),
  rowValues: rowSchema.nullable(),
  slice: z.object({ from: z.string(), to: z.string(), label: z.string() }).nullable(),
  slots: z.array(
    slotSchema.extend({
      resolved: z.string().nullable(),
      values: z.array(z.unknown()).nullable(),
      later: z.boolean(),
      rowless: z.boolean().describe('the roster has no row to work it out with'),
      /** What was found: files for a path. */
      found: z.array(z.object({ path: z.string(), size: z.number(), modified: z.string() })).nullable(),
    }),
  ),
  findings: z.array(
    z.object({ code: z.string(), level: levelSchema, message: z.string(), path: z.string().nullable() }),
  ),
})

export const runPartSchema = z.object({
  part: z.number(),
  id: z.string().nullable(),
  title: z.string().describe('what it is called: its title, its id, its first step'),
  steps: z.array(z.string()).describe('ids of its steps, in their order'),
  waits: z.array(z.number()).describe('the parts that it waits for'),
  when: z.string().describe('done, failed, ended, or an expression'),
  hold: z.boolean(),
  state: z.enum([...runStates, 'asking']),
  passed: z.boolean().describe('left out since its own condition did not hold'),
  atOnce: z.number(),
  startedAt: z.string().nullable(),
  endedAt: z.string().nullable(),
  waiting: z.number().describe('loads that wait, or are ready'),
  running: z.number(),
  held: z.number().describe('loads that stopped for a look'),
  done: z.number(),
  failed: z.number(),
  skipped: z.number().describe('loads that were left out, or set aside'),
  stopped: z.number().describe('loads that were broken off, or not begun'),
})
export const runSchema = runBriefSchema.extend({
  plan: z.number(),
  parts: z.array(runPartSchema),
  heldBy: z.string().nullable().describe('who holds it; null where nobody does'),
  unreached: z
    .array(z.object({ connection: z.string(), needs: z.array(z.string()) }))
    .describe('connections that no worker which is there reaches, and that loads wait for'),
  calledBy: z
    .object({ run: z.number(), load: z.number(), job: z.string() })
    .nullable()
    .describe('the load of another run that began it'),
  begunBy: z
    .object({
      start: z.string(),
      cause: z.string().describe('what it came by, in words'),
      why: z.string().nullable().describe('why it was late, or for how many it makes up'),
    })
    .nullable()
    .describe('the start that began it'),
  cameAfter: z
    .array(z.object({ dataset: z.string(), run: z.number(), at: z.string() }))
    .describe('datasets that it began for and that were refreshed again before it had ended'),
  /** Zone of the job's slices, null where it has none. */
  zone: z.string().nullable(),
  stopping: z.boolean(),
  /** Milliseconds to add to the real time for this run's time. */
  clockOffset: z.number(),
  /** Seconds that are likely left, from the loads of this run that are done; null where nothing is known. */
  left: z.number().nullable(),
  causes: z.array(
    z.object({
      cause: z.string(),
      message: z.string(),
      step: z.string().nullable(),
      advice: z.string(),
      loads: z.array(z.number()),
      count: z.number(),
      goesOn: z.boolean().describe('a check did not hold, and the loads went on all the same'),
    }),
  ),
})
export const runLoadSchema = z.object({
  id: z.number(),
  number: z.number(),
  part: z.number(),
  each: z.boolean(),
  key: z.string(),
  state: stateSchema,
  attempt: z.number(),
  worker: z.number().nullable(),
  waitsFor: z
    .string()
    .nullable()
    .describe('what its step waits for just now, such as a lock that another holds; null while it works'),
  startedAt: z.string().nullable(),
  endedAt: z.string().nullable(),
  ...counts,
  message: z.string().nullable(),
  /** Steps with their state and, in milliseconds from the run's start, their begin and end. */
  steps: z.array(
    z.object({ step: z.string(), state: stateSchema, from: z.number(), to: z.number().nullable() }),
  ),
})
export const statementSchema = z.object({
  on: z.string(),
  text: z.string(),
  values: z.array(z.unknown()).optional(),
  rows: z.number().optional(),
  error: z.string().optional(),
  milliseconds: z.number(),
})
export const fileRecordSchema = z.object({
  store: z.string(),
  path: z.string(),
  size: z.number(),
  modified: z.string(),
  sha256: z.string(),
  records: z.number(),
  did: z
    .enum(fileDeeds)
    .optional()
    .describe('what a step did with it, where it was not read; same: it was there with the same content'),
  at: z
    .object({ store: z.string(), path: z.string() })
    .optional()
    .describe('where it went, or the archive it came from'),
  why: z.string().optional().describe('why it stays'),
})
export const checkRecordSchema = z.object({
  kind: checkKindSchema,
  text: z.string().describe('the check in words'),
  holds: z.boolean().describe('does it hold?'),
  why: z.string().optional().describe('why it does not hold'),
  advice: z.string().optional(),
  rows: z.array(rowSchema).optional().describe('some of the rows that break it'),
  found: z.number().optional().describe('the number that was counted, where later checks go by it'),
  note: z.string().optional().describe('what is to be said though it holds'),
})
export const loadErrorSchema = z.object({
  step: z.string().nullable(),
  code: z.string(),
  message: z.string(),
  effect: z.string(),
  advice: z.string(),
  rows: z.array(rowSchema).optional(),
})
export const loadDetailSchema = runLoadSchema.extend({
  row: rowSchema.nullable(),
  slice: z.object({ from: z.string(), to: z.string(), label: z.string() }).nullable(),
  bytes: z.number(),
  error: loadErrorSchema.nullable(),
  repeats: z.number().nullable(),
  letGo: z
    .object({ by: z.string(), why: z.string(), at: z.string() })
    .nullable()
    .describe('who let it go before its part began, and why; null for nobody'),
  attempts: z
    .array(
      z.object({
        attempt: z.number(),
        worker: z.number().nullable(),
        host: z.string().nullable(),
        takenAt: z.string().nullable(),
        endedAt: z.string(),
        why: z.string().describe('why it came to no end of its own'),
      }),
    )
    .describe('attempts before the last'),
  detail: z.array(
    z.object({
      step: z.string(),
      kind: z.string(),
      state: stateSchema,
      attempt: z.number(),
      startedAt: z.string(),
      endedAt: z.string().nullable(),
      ...counts,
      bytes: z.number(),
      resolved: z.array(z.object({ path: z.string(), text: z.string() })),
      statements: z.array(statementSchema),
      files: z.array(fileRecordSchema),
      checks: z.array(checkRecordSchema).describe('what became of its checks'),
      rejectReasons: z.record(z.string(), z.number()),
      hasRejects: z.boolean(),
      tries: z
        .array(z.object({ code: z.string(), message: z.string(), at: z.string(), milliseconds: z.number() }))
        .describe('tries that failed, and after which it was tried again'),
      keptFrom: z
        .object({
          run: z.number().nullable().describe('null where that run is no longer kept'),
          load: z.number(),
        })
        .nullable()
        .describe('the load that did it, where a rerun kept it; null where it was done here'),
      called: z
        .object({ id: z.number(), job: z.string(), state: stateSchema })
        .nullable()
        .describe('the run of another job that it began'),
      log: z.array(z.string()),
    }),
  ),
})
/** Rows of control tables that something was planned for, outermost first. */
export const controlRowsSchema = z.array(
  z.object({ control: z.string(), key: z.string().describe('key of the row, as people read it') }),
)
export const balanceSchema = z.object({
  ...counts,
  balanced: z.boolean(),
})
export const runDocumentSchema = z.object({
  run: z.number(),
  job: z.string(),
  environment: z.string(),
  state: stateSchema,
  loads: z.record(z.string(), z.number()),
  balance: balanceSchema,
})
export const showDocumentSchema = runDocumentSchema.extend({ detail: z.array(loadDetailSchema) })
