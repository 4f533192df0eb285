/** What a process leaves behind that ends in the middle. All of it is taken away by itself; nothing of it is missed. */
export const sweptKinds = {
  folders: { title: 'Temporary folders', says: 'of workers that ended without taking them away' },
  files: { title: 'Half-written files', says: 'beside files that a load was writing when its worker ended' },
  jobs: {
    title: 'Entries of the queue',
    says: 'that a worker held when it ended; their loads were given to others',
  },
  rejects: { title: 'Folders of rejects', says: 'of runs that are gone' },
  tries: { title: 'What tries wrote aside', says: 'schemas and files of tries that nobody cleared' },
} as const

export type SweptKind = keyof typeof sweptKinds
