import { mkdir, rm } from 'node:fs/promises'
import { join } from 'node:path'
import type { DuckDBConnection } from '@duckdb/node-api'
import { addEvidence, judgeEvidence, noEvidence } from '../../../core/catalog/evidence'
import type { FoundDataset, Stray } from '../../../core/catalog/found'
import { inScope } from '../../../core/catalog/scope'
import type { SurveyProgress, SurveyScope } from '../../../database/catalog'
import { endpointsOf, type Service } from './service'
import { layServiceDown } from './layDown'
import { documentTables, exactDocuments } from '../../formats/json/documents'
import { evidenceOf } from '../../survey/shapes'
import { reasonOf } from '../../survey/reason'

/** Records of each address that a survey reads. */
const wanted = 1000

/** Surveys the addresses that a service's settings name, over the first thousand records of each. */
export async function surveyService(
  duck: DuckDBConnection,
  service: Service,
  scope: SurveyScope,
  progress: (now: SurveyProgress) => Promise<void>,
  folder: string,
  signal: AbortSignal,
): Promise<{ found: FoundDataset[]; strays: Stray[] }> {
  const paths = endpointsOf(service).filter((path) => inScope(path, scope.include, scope.exclude))
  const found: FoundDataset[] = []
  const strays: Stray[] = []
  let bytes = 0
  await mkdir(folder, { recursive: true })
  try {
    for (const [i, path] of paths.entries()) {
      signal.throwIfAborted()
      await progress({ seen: i, total: paths.length, reused: 0, bytes })
      try {
        const file = join(folder, `${i}.ndjson`)
        const laid = await layServiceDown(service, path, file, { signal, limit: wanted })
        bytes += laid.bytes
        if (laid.records === 0) {
          strays.push({ path, reason: 'it has no records now' })
          continue
        }
        for (const table of await documentTables(
          duck,
          await exactDocuments([file], { kind: 'ndjson' }, folder),
        )) {
          const seen = (await evidenceOf(duck, { sql: `(${table.sql})`, columns: table.columns })).get(file)
          const plain = path.split('?')[0]!
          found.push({
            locator: table.inner === '' ? path : `${path}#${table.inner}`,
            kind: 'service',
            name: `${scope.prefix}${[service.name, ...plain.split('/'), ...table.inner.split('.')].filter((part) => part !== '').join('.')}`,
            columns: (seen?.columns ?? []).map(({ name, counts, longest }) => {
              const verdict = judgeEvidence(addEvidence(noEvidence, { counts, firsts: {}, longest }))
              return { name, type: verdict.type, verdict }
            }),
            key: [],
            format: { kind: 'ndjson', ...(table.inner === '' ? {} : { inner: table.inner }) },
            ...(laid.records < wanted ? { rows: seen?.rows ?? 0 } : {}),
          })
        }
      } catch (error) {
        signal.throwIfAborted()
        strays.push({ path, reason: reasonOf(error) })
      }
    }
    await progress({ seen: paths.length, total: paths.length, reused: 0, bytes })
    return { found, strays }
  } finally {
    await rm(folder, { recursive: true, force: true })
  }
}
