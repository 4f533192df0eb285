import type { FileWorkDefinition } from './definition'

const given = <D extends Readonly<Record<string, FileWorkDefinition>>>(definitions: D): D => definitions

/** Everything that is done with files. */
export const fileWorks = given({
  copy: { words: 'are copied', into: 'folder', takesAway: false, keepsCopy: true },
  move: { words: 'are moved', into: 'folder', takesAway: true, keepsCopy: false },
  delete: { words: 'are deleted', into: 'nothing', takesAway: true, keepsCopy: false },
  pack: { words: 'are packed', into: 'file', takesAway: false, keepsCopy: true },
  unpack: { words: 'are unpacked', into: 'folder', takesAway: false, keepsCopy: false },
})

export type FileWork = keyof typeof fileWorks
export const fileWorkNames = Object.keys(fileWorks) as [FileWork, ...FileWork[]]

/** How files are packed, by the ending of the archive's name. */
export const packings = [
  { ending: /\.zip$/i, packing: 'zip' },
  { ending: /\.(tar\.gz|tgz)$/i, packing: 'tar' },
  { ending: /\.gz$/i, packing: 'gzip' },
] as const
export type FilePacking = (typeof packings)[number]['packing']

/** How the archive of a name is packed; undefined where the name does not say. */
export const packingOf = (name: string): FilePacking | undefined =>
  packings.find(({ ending }) => ending.test(name))?.packing

/** What was done with a file; `same`: it was there with the same content; `written`: with the rows of a transfer. */
export const fileDeeds = [
  'written',
  'copied',
  'moved',
  'deleted',
  'packed',
  'unpacked',
  'same',
  'left',
] as const
export type FileDeed = (typeof fileDeeds)[number]
