import type { FoundDataset } from '../../core/catalog/found'
import type { SurveyScope } from '../../database/catalog'
import { acceptProposals } from '../../engine/survey/accept'
import { startSurvey } from '../../engine/survey/survey'
import type { TestBench } from './bench'

/** What a survey found: the datasets with the files they are of, and why other files are none. */
export interface Surveyed {
  /** The dataset of the files in a folder. */
  at(folder: string): FoundDataset | undefined
  stray(path: string): string | undefined
}

/** Surveys a connection, and takes nothing in. */
export async function surveyOf(
  bench: TestBench,
  connection: string,
  scope: Partial<SurveyScope>,
): Promise<Surveyed> {
  const id = await startSurvey(bench.engine, {
    connection,
    environment: 'dev',
    scope: { include: [], exclude: [], prefix: '', ...scope },
    by: 'test',
  })
  for (;;) {
    const [row] = await bench.own('select state, fault, strays from mattock.survey where id = $1', [id])
    if (row!.state === 'failed') throw new Error(String(row!.fault))
    if (row!.state === 'done') {
      const proposals = (await bench.own(
        'select found, paths from mattock.survey_proposal where survey_id = $1',
        [id],
      )) as { found: FoundDataset | null; paths: string[] }[]
      const strays = row!.strays as { path: string; reason: string }[]
      return {
        at: (folder) =>
          proposals.find(({ paths }) => paths.some((path) => path.startsWith(`${folder}/`)))?.found ??
          undefined,
        stray: (path) => strays.find((stray) => stray.path === path)?.reason,
      }
    }
    await new Promise((resolve) => setTimeout(resolve, 20))
  }
}

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
