import { useMemo } from 'react'
import { routes } from '../../../contract/routes'
import { connectorOf } from '../../../core/connection/connection'
import { isRelation } from '../../../core/catalog/datasetKinds'
import { useAnswer } from '../../data/api'
import { useHere } from '../../data/session'
import type { FieldPath, Offers } from '../../kit/fields/frame'

/**
 * What is offered where a job's text names something: connections of a kind, control tables, tables of the connection
 * that `connectionAt` says stands beside it.
 */
export function useOffers(connectionAt: (path: FieldPath) => string | undefined = () => undefined): Offers {
  const { environment } = useHere()
  const connections = useAnswer(routes.connections, { query: { environment } })
  const controls = useAnswer(routes.controlTables, { query: { environment } })
  const jobs = useAnswer(routes.jobs, {})
  const datasets = useAnswer(routes.datasets, { query: { environment, limit: 1000 } })
  return useMemo(
    () => (names, path) => {
      if (names === 'connection')
        return (connections.data ?? [])
          .filter(({ kind }) => connectorOf(kind).holds !== 'nothing')
          .map(({ name }) => name)
      if (names === 'job') return (jobs.data ?? []).map(({ name }) => name)
      if (names === 'control') return (controls.data ?? []).map(({ name }) => name)
      if (names === 'table') {
        const on = connectionAt(path)
        return (datasets.data?.datasets ?? [])
          .filter((one) => one.connection === on && isRelation(one.kind))
          .map(({ locator }) => locator)
      }
      if (names === 'dataset') {
        const on = connectionAt(path)
        return (datasets.data?.datasets ?? [])
          .filter(({ connection }) => on === undefined || connection === on)
          .map(({ name }) => name)
      }
      return (connections.data ?? []).filter(({ kind }) => kind === names).map(({ name }) => name)
    },
    [connections.data, controls.data, jobs.data, datasets.data, connectionAt],
  )
}
