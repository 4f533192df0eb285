/** The texts that name files. */
export const namesFiles = (path: string): boolean =>
  path.endsWith('.from.store') || path.endsWith('.from.files')
