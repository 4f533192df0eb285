import { existsSync, readFileSync } from 'node:fs'
import { join, resolve } from 'node:path'

/** What a running Mattock leaves in its data folder, so that commands find it. */
export interface Running {
  readonly url: string
  readonly pid: number
  readonly data: string
  readonly databaseUrl: string
  /** The address at which the first person makes their account; there while nobody has one. */
  readonly first?: string
  readonly accounts: readonly { email: string; password: string; role: string }[]
}

export const dataFolder = (given: string | undefined): string =>
  resolve(given ?? process.env.MATTOCK_DATA ?? '.mattock')
export const stateFile = (data: string): string => join(data, 'running.json')
/** The code of the address for the first account, from the server to whoever started it; read once. */
export const invitationFile = (data: string): string => join(data, 'invitation')
export const tokenFile = (data: string): string => join(data, 'command.token')

/** The Mattock that runs over a data folder, or undefined. */
export function running(data: string): Running | undefined {
  const file = stateFile(data)
  if (!existsSync(file)) return undefined
  try {
    const state = JSON.parse(readFileSync(file, 'utf8')) as Running
    process.kill(state.pid, 0)
    return state
  } catch {
    return undefined
  }
}
