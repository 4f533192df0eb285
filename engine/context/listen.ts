import pg from 'pg'
import type { Engine } from './engine'

/**
 * Hears what an engine's store says on a channel, on a connection of its own that is opened again where it is lost.
 * `heard` is called with what was said, and with nothing once the connection stands: something may have been missed.
 * Returns how to end it.
 */
export function listen(engine: Engine, channel: string, heard: (said?: string) => void): () => Promise<void> {
  let client: pg.Client | undefined
  let again: NodeJS.Timeout | undefined
  let ended = false
  const open = async () => {
    const own = new pg.Client({
      connectionString: engine.databaseUrl,
      application_name: `mattock ${channel}`,
    })
    client = own
    const lost = () => {
      if (client !== own) return
      client = undefined
      own.end().catch(() => {})
      if (!ended) again = setTimeout(() => void open(), 1000)
    }
    own.on('error', lost)
    own.on('end', lost)
    own.on('notification', ({ payload }) => heard(payload ?? ''))
    try {
      await own.connect()
      await own.query(`listen ${pg.escapeIdentifier(channel)}`)
      heard()
    } catch {
      lost()
    }
  }
  void open()
  return async () => {
    ended = true
    clearTimeout(again)
    const own = client
    client = undefined
    await own?.end().catch(() => {})
  }
}
