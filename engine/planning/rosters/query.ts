import { openPostgres } from '../../connectors/connections'
import { queryRows } from '../../connectors/postgres/queryRows'
import { mostRead, type ReadRoster } from './definition'

export const query: ReadRoster<'query'> = async (
  { connection, text, values },
  { engine, environment, zone },
) => await queryRows(await openPostgres(engine, connection, environment), text, values, zone, mostRead)
