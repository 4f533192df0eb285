/** A kind of dataset, by what holds it. */
interface DatasetKindDefinition {
  /** In one, many and for people: `table`. */
  readonly words: string
  /** It is a relation of a database, which is asked in SQL; else its rows are read. */
  readonly relation: boolean
}

/** Every kind of dataset. */
export const datasetKindsDefined = {
  table: { words: 'table', relation: true },
  view: { words: 'view', relation: true },
  files: { words: 'files', relation: false },
  service: { words: 'service', relation: false },
} as const satisfies Record<string, DatasetKindDefinition>

export type DatasetKind = keyof typeof datasetKindsDefined

export const isRelation = (kind: DatasetKind): boolean => datasetKindsDefined[kind].relation
