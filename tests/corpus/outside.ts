import { readFile } from 'node:fs/promises'
import { join } from 'node:path'
import type { Entry } from './entry'

const folder = join(import.meta.dirname, 'files')

/** Files written by pandas 1.5 and openpyxl 3.0 (make.py), with what these say is in them. */
export async function outside(): Promise<readonly Entry[]> {
  const truth = JSON.parse(await readFile(join(folder, 'truth.json'), 'utf8')) as {
    name: string
    columns?: string
    rows?: (string | null)[][]
    fault?: string
  }[]
  return await Promise.all(
    truth.map(async ({ name, fault, ...rest }) => ({
      name,
      bytes: await readFile(join(folder, name)),
      ...rest,
      ...(fault ? { fault: new RegExp(fault) } : {}),
    })),
  )
}
