import { routes } from '../../contract/routes'
import type { Carrier } from './definition'

export const job: Carrier<'job'> = {
  put: async (api, { text, value: { name } }, { message }) => {
    const before = (await api.call(routes.jobs)).find((one) => one.name === name)?.version ?? 0
    const { version } = await api.call(routes.saveJob, { params: { name }, body: { text, message } })
    return version === before ? `as it was, version ${version}` : `version ${version}`
  },
  names: async (api) => (await api.call(routes.jobs)).map(({ name }) => name),
  get: async (api, name) => (await api.call(routes.job, { params: { name } })).text,
}
