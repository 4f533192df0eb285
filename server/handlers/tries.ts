import { and, eq } from 'drizzle-orm'
import { fail } from '../../core/fault'
import { tryStep } from '../../database/schema'
import { documentOf, isSaved } from '../../engine/jobs/versions'
import { clearTry, goOn, readTry, schemaOf, stopTry, triesOf, trySteps } from '../../engine/trying/try'
import { mutable } from '../mutable'
import { plannerOf } from '../planner'
import type { Handlers } from '../handler'
import { seesAll } from '../rows'

type Found = Awaited<ReturnType<typeof readTry>>

const brief = ({ id, job, title, environment, state, by, createdAt, endedAt, ask }: Found) => ({
  id,
  job,
  title,
  environment,
  state,
  by,
  createdAt,
  endedAt,
  rows: [...ask.rows],
  slice: ask.slice ?? null,
})

export const tryHandlers: Pick<
  Handlers,
  'startTry' | 'tries' | 'try' | 'tryDocument' | 'tryStep' | 'goOnTry' | 'stopTry' | 'clearTry'
> = {
  startTry: async (asked, { body }) => ({
    id: await plannerOf(asked, 'startTry', { ...body, by: asked.account.name }),
  }),
  tries: async ({ engine }, { params }) => (await triesOf(engine, params.name, 20)).map(brief),
  try: async ({ engine }, { params }) => {
    const found = await readTry(engine, params.id)
    const steps = await trySteps(engine, params.id)
    return mutable({
      ...brief(found),
      ask: found.ask,
      parameters: found.parameters,
      zone: documentOf({ text: found.document }).slices?.zone ?? 'UTC',
      fault: found.fault,
      clearedAt: found.clearedAt,
      scratch: {
        schema: schemaOf(found.id),
        connections: found.aside.databases.map(({ connection }) => connection),
        files: found.aside.stores.length > 0,
      },
      saved: await isSaved(engine, found.document),
      loads: found.loads.map(({ key, part }, load) => ({
        key,
        part,
        steps: steps
          .filter((step) => step.load === load)
          .map((step) => ({
            position: step.position,
            step: step.step,
            title: step.title,
            kind: step.kind,
            hold: step.hold,
            state: step.state,
            milliseconds: step.milliseconds,
            counts: step.counts,
            rejectReasons: step.rejectReasons,
            error: step.error,
            tables: step.looks
              .filter(({ side, title }) => side === 'out' && title !== 'rejects')
              .map(({ title, before, after }) => ({ title, before, after })),
          })),
      })),
    })
  },
  tryDocument: async ({ engine }, { params }) => ({ text: (await readTry(engine, params.id)).document }),
  tryStep: async (asked, { params }) => {
    const { engine } = asked
    const found = await readTry(engine, params.id)
    const all = seesAll(asked, found.environment)
    const [step] = await engine.db
      .select()
      .from(tryStep)
      .where(and(eq(tryStep.tryId, params.id), eq(tryStep.position, params.position)))
    if (!step) fail('unknown-name', `try ${params.id} has no step ${params.position + 1}`)
    const load = found.loads[step.load]!
    return mutable({
      looks: all ? step.looks : step.looks.map((look) => ({ ...look, rows: [] })),
      statements: all ? step.statements : step.statements.map(({ values: _, ...statement }) => statement),
      files: step.files,
      log: step.log,
      resolved: load.texts.flatMap(({ slot, resolved }) =>
        slot.step === step.step && resolved.kind !== 'later'
          ? [{ path: slot.path, text: resolved.text }]
          : [],
      ),
    })
  },
  goOnTry: async ({ engine }, { params }) => {
    await goOn(engine, params.id)
    return {}
  },
  stopTry: async ({ engine }, { params }) => {
    await stopTry(engine, params.id)
    return {}
  },
  clearTry: async ({ engine }, { params }) => {
    await clearTry(engine, params.id)
    return {}
  },
}
