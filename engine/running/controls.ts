import { fail } from '../../core/fault'
import type { Engine } from '../context/engine'

const asked = async <T>(engine: Engine, call: string, values: readonly unknown[]): Promise<T> => {
  const { rows } = await engine.db.$client.query<{ answer: T }>(`select ${call} as answer`, [...values])
  return rows[0]!.answer
}

/** Nothing new starts, what runs is broken off and rolled back. @throws FaultError where the run is not running */
export async function stopRun(engine: Engine, run: number): Promise<void> {
  if (!(await asked<boolean>(engine, 'mattock.stop_run($1)', [run])))
    fail('not-running', `run ${run} is not running`)
}

/** Nothing new begins; what runs comes to its end. @throws FaultError `not-running` */
export async function holdRun(engine: Engine, run: number, by: string): Promise<void> {
  if (!(await asked<boolean>(engine, 'mattock.hold_run($1, $2)', [run, by])))
    fail('not-running', `run ${run} is not running, so it cannot be held`)
}

/** Lets a held run go on, and what in it stopped for a look; or only some of its loads. @throws FaultError `not-held` */
export async function goOn(engine: Engine, run: number, loads?: readonly number[]): Promise<void> {
  if (!(await asked<boolean>(engine, 'mattock.go_on($1, $2)', [run, loads ?? null])))
    fail('not-held', loads ? 'none of these loads is held' : `nothing of run ${run} is held`)
}

/** Takes loads that wait, or hold, out of a run. Returns how many there were. */
export const setAside = (
  engine: Engine,
  run: number,
  loads: readonly number[],
  by: string,
): Promise<number> => asked(engine, 'mattock.set_aside($1, $2, $3)', [run, loads, by])

/** Sets aside what failed in a run that is over, but for what was run again since. Returns how many loads there were. */
export const giveUpFailed = (engine: Engine, run: number, by: string, why: string): Promise<number> =>
  asked(engine, 'mattock.give_up_failed($1, $2, $3)', [run, by, why])

/** Lets loads go before their part begins, with the reason kept. Returns how many there were. */
export const letGo = (engine: Engine, run: number, loads: readonly number[], by: string, why: string): Promise<number> =>
  asked(engine, 'mattock.let_go($1, $2, $3, $4)', [run, loads, by, why]) // prettier-ignore

/** Lets all loads of a run go that wait for what others make, with the reason kept. Returns how many there were. */
export async function letWaitingGo(engine: Engine, run: number, by: string, why: string): Promise<number> {
  const { rows } = await engine.db.$client.query<{ id: number }>(
    `select id from mattock.load where run_id = $1 and state = 'waiting' and lane < 0 and wait_set is not null order by id`,
    [run],
  )
  return rows.length === 0 ? 0 : await letGo(engine, run, rows.map(({ id }) => id), by, why) // prettier-ignore
}

/** Puts waiting loads before the others of their part, or the run before others. Returns how many loads there were. */
export async function putFirst(engine: Engine, run: number, loads?: readonly number[]): Promise<number> {
  if (loads) return await asked(engine, 'mattock.put_first($1, $2)', [run, loads])
  const { rowCount } = await engine.db.$client.query(
    `update mattock.run set priority = (select min(priority) - 1 from mattock.run where state in ('waiting', 'running', 'held'))
     where id = $1 and state in ('waiting', 'running', 'held')`,
    [run],
  )
  if (!rowCount) fail('not-running', `run ${run} is over`)
  return 0
}
