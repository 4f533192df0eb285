import { readFileSync } from 'node:fs'
import { fileURLToPath } from 'node:url'

/** The version of this Mattock, from its package.json, above the built program. */
export const versionOf = (): string =>
  (
    JSON.parse(readFileSync(fileURLToPath(new URL('../package.json', import.meta.url)), 'utf8')) as {
      version: string
    }
  ).version
