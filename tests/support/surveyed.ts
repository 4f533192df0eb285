import { acceptProposals } from '../../engine/survey/accept'
import { startSurvey } from '../../engine/survey/survey'
import type { TestBench } from './bench'

/** Surveys the whole of a connection and takes everything in that it found. */
export async function takeIn(bench: TestBench, connection: string): Promise<void> {
  const scope = { include: [], exclude: [], prefix: '' }
  const id = await startSurvey(bench.engine, { connection, environment: 'dev', scope, by: 'test' })
  for (;;) {
    const [row] = await bench.own('select state, fault from mattock.survey where id = $1', [id])
    if (row!.state === 'done') break
    if (row!.state === 'failed') throw new Error(String(row!.fault))
    await new Promise((resolve) => setTimeout(resolve, 20))
  }
  await acceptProposals(bench.engine, id, undefined, 'test')
}
