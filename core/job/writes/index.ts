import type { WriteDefinition } from './definition'

/** Every way of putting rows into a table. */
export const writes = {
  append: { words: 'append', needs: [], replaces: 'nothing', doubles: true },
  'replace-all': { words: 'replace all rows', needs: [], replaces: 'all', doubles: false },
  'replace-slice': { words: 'replace the slice', needs: ['slice_by'], replaces: 'slice', doubles: false },
  upsert: { words: 'upsert', needs: ['key'], replaces: 'nothing', doubles: false },
} as const satisfies Record<string, WriteDefinition>

export type WriteMode = keyof typeof writes
export const writeModes = Object.keys(writes) as [WriteMode, ...WriteMode[]]

/** The definition of a mode, as its readers see it. */
export const writeOf = (mode: WriteMode): WriteDefinition => writes[mode]
