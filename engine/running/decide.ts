import { celCompiler, plainValue } from '../../core/expression/cel'
import { FaultError } from '../../core/fault'
import { runBindings } from '../../core/plan/expand/bindings'
import type { LoadError } from '../../database/schema'
import type { Engine } from '../context/engine'
import { earlierParts } from './earlier'
import { frameOf } from './frame'

/** Works out whether a part begins whose `when` is an expression, and says so to the run. */
export async function decidePart(
  engine: Engine,
  { run, part }: { run: number; part: number },
): Promise<void> {
  const frame = await frameOf(engine, run)
  const { when } = frame.job.parts[part]!
  const { holds, fault } = await decided(engine, frame, part, when)
  await engine.db.$client.query('select mattock.decide_part($1, $2, $3, $4, $5)', [
    run,
    part,
    holds,
    `its condition does not hold: ${when}`,
    fault && JSON.stringify(fault),
  ])
}

async function decided(
  engine: Engine,
  frame: Awaited<ReturnType<typeof frameOf>>,
  part: number,
  when: string,
): Promise<{ holds: boolean; fault: LoadError | null }> {
  const earlier = await earlierParts(engine, frame, part)
  const { parameters, environment, run } = frame
  const bindings = runBindings(
    frame.job,
    { parameters, environment, row: null, columns: {}, slice: null },
    {
      run: { id: run.id, started: new Date(run.startedAt ?? run.createdAt).toISOString() },
      ...earlier,
      file: null,
    },
  )
  try {
    return {
      holds: asVerdict(when, plainValue(celCompiler(frame.zone)(when).evaluate(bindings))),
      fault: null,
    }
  } catch (error) {
    if (!(error instanceof FaultError)) throw error
    const message = `${error.fault.message} (in when: ${when})`
    return {
      holds: false,
      fault: { step: null, code: error.fault.code, message, effect: 'nothing was written', advice: 'mend the expression, then rerun' },
    } // prettier-ignore
  }
}

/** @throws FaultError where it is neither true nor false */
export function asVerdict(when: string, value: unknown): boolean {
  if (typeof value === 'boolean') return value
  throw new FaultError({
    code: 'expression',
    message: `"${when}" gives ${String(value)}, which is neither true nor false`,
    where: {},
  })
}
