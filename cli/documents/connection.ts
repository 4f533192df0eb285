import { stringify } from 'yaml'
import { routes } from '../../contract/routes'
import { ApiError } from '../api'
import type { Carrier } from './definition'

export const connection: Carrier<'connection'> = {
  hindrance: ({ secret_from }, { variables }) => {
    const missing = Object.values(secret_from).find((variable) => variables[variable] === undefined)
    return missing && `the environment variable ${missing} is not set; it holds a secret of this connection`
  },
  put: async (api, { value }, { environment, variables }) => {
    const { name, kind, title, cap, needs, settings, secret_from } = value
    const before = (await api.call(routes.connections, { query: { environment } })).find(
      (one) => one.name === name,
    )
    if (before && before.kind !== kind)
      throw new ApiError(`${name} is of kind ${before.kind} and cannot become ${kind}`, 'conflict')
    const said: string[] = []
    if (!before) {
      await api.call(routes.addConnection, { body: { name, kind, title, cap, needs } })
      said.push('added')
    } else if (before.title !== title || before.cap !== cap || before.needs.join() !== needs.join()) {
      await api.call(routes.changeConnection, { params: { name }, body: { title, cap, needs } })
      said.push('title, cap or needs changed')
    }
    for (const [of, own] of Object.entries(settings)) {
      const known = before?.settings.find((one) => one.environment === of)
      const variable = secret_from[of]
      // a secret cannot be compared, so it is set anew wherever one is given
      if (variable === undefined && known && same(known.settings, own)) continue
      await api.call(routes.saveSettings, {
        params: { name, environment: of },
        body: { settings: own, ...(variable === undefined ? {} : { secret: variables[variable] }) },
      })
      said.push(`settings for ${of}${variable === undefined ? '' : ' with a secret'}`)
    }
    return said.join(', ') || 'as it was'
  },
  names: async (api, environment) =>
    (await api.call(routes.connections, { query: { environment } })).map(({ name }) => name),
  get: async (api, name, environment) => {
    const found = (await api.call(routes.connections, { query: { environment } })).find(
      (one) => one.name === name,
    )
    if (!found) throw new ApiError(`there is no connection "${name}"`, 'unknown-name')
    const { kind, title, cap, needs, settings } = found
    const secret_from = Object.fromEntries(
      settings
        .filter(({ hasSecret }) => hasSecret)
        .map(({ environment: of }) => [of, `${name}_${of}_secret`.toUpperCase().replace(/\W/g, '_')]),
    )
    return stringify(
      {
        mattock: 'connection/1',
        name,
        kind,
        title,
        ...(cap === null ? {} : { cap }),
        ...(needs.length === 0 ? {} : { needs }),
        settings: Object.fromEntries(settings.map((one) => [one.environment, one.settings])),
        ...(Object.keys(secret_from).length > 0 ? { secret_from } : {}),
      },
      { lineWidth: 0 },
    )
  },
}

/** The same settings, in whatever order and with what holds anyway left out. */
function same(
  known: Readonly<Record<string, string | number>>,
  given: Readonly<Record<string, string | number>>,
): boolean {
  return Object.entries(given).every(([key, value]) => known[key] === value)
}
