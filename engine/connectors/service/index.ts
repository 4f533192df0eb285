import { bareHost } from '../../context/network'
import { service as definition } from '../../../core/connection/service'
import { withFolder } from '../../context/temporary'
import { withDuck } from '../../duck/duck'
import { formats } from '../../formats'
import { isIP } from 'node:net'
import { join } from 'node:path'
import type { Connector } from '../definition'
import { firstOf } from '../firstOf'
import { testReach } from '../reach'
import { layServiceDown } from './layDown'
import { paceOf } from './pace'
import { endpointsOf, servicePages } from './service'
import { surveyService } from './survey'

export const service: Connector<'service'> = {
  open: (name, settings, secret, engine) => ({
    kind: 'service',
    name,
    service: {
      name,
      settings: definition.settings.parse(settings),
      secret,
      pace: paceOf(engine),
      network: engine.network,
    },
  }),
  // a name is looked up when it is asked: today's address need not be tomorrow's
  refusal: ({ base }, engine) => {
    const host = bareHost(URL.parse(String(base))?.hostname ?? '')
    return Promise.resolve(isIP(host) === 0 ? undefined : engine.network.refusal(host))
  },
  async test({ service: opened }, step) {
    const { base } = opened.settings
    const { hostname, port, protocol } = new URL(base)
    await testReach(hostname, Number(port || (protocol === 'https:' ? 443 : 80)), step, opened.network)
    const [path = '/'] = endpointsOf(opened)
    await step('answers', async () => {
      for await (const { records, bytes } of servicePages(opened, path, { limit: 1 }))
        return [
          undefined,
          `${path}: ${records.length} records in the first page, ${bytes.toLocaleString('en')} bytes`,
        ]
      return [undefined, `${path}: no page`]
    })
  },
  browse: async ({ service: opened }) =>
    endpointsOf(opened).map((path) => ({
      kind: 'endpoint',
      name: path,
      path,
      size: null,
      modified: null,
      rows: null,
    })),
  firstRows: async ({ service: opened }, path, limit) =>
    await withFolder((folder) =>
      withDuck('UTC', true, async (duck) => {
        const full = join(folder, 'page.ndjson')
        const { records } = await layServiceDown(opened, path, full, { limit })
        if (records === 0) return { columns: [], rows: [], note: 'the answer has no records' }
        const page = { full, path: 'page.ndjson' }
        const { sql } = await formats.ndjson.relation(duck, [page], { kind: 'ndjson' }, [], folder)
        return await firstOf(duck, sql, limit, 'lists within become datasets of their own')
      }),
    ),
  survey: async ({ service: opened }, { scope, folder, signal, progress }) =>
    await withDuck('UTC', true, async (duck) => {
      const { found, strays } = await surveyService(duck, opened, scope, progress, folder, signal)
      return { found: found.map((dataset) => ({ dataset, paths: [] })), strays }
    }),
}
