import { jobSchema, type Job } from '../job/document'
import type { Fault } from '../fault'
import { alertSchema, type AlertDocument } from './alert'
import { connectionSchema, type ConnectionDocument } from './connection'
import { controlSchema, type ControlDocument } from './control'
import { documentReader, type ReadDocument } from './read'

interface DocumentKinds {
  readonly connection: ConnectionDocument
  readonly control: ControlDocument
  readonly job: Job
  readonly alert: AlertDocument
}

export type DocumentKind = keyof DocumentKinds

/** Every kind of document that can be put and got, in the order in which they rest on each other. */
export const documents: {
  readonly [K in DocumentKind]: {
    /** `control table`, within a sentence. */
    readonly words: string
    readonly read: (text: string) => ReadDocument<DocumentKinds[K]>
  }
} = {
  connection: { words: 'connection', read: documentReader(connectionSchema) },
  control: { words: 'control table', read: documentReader(controlSchema, 1_000_000) },
  job: { words: 'job', read: documentReader(jobSchema) },
  alert: { words: 'rule of alerts', read: documentReader(alertSchema) },
}

export const documentKinds = Object.keys(documents) as DocumentKind[]

/** One document of a file, read. */
export type FoundDocument = {
  [K in DocumentKind]: { readonly kind: K; readonly text: string; readonly value: DocumentKinds[K] }
}[DocumentKind]

/** Reads a file of one document or several, with `---` between them. Faults carry the file's own lines. Never throws. */
export function readDocuments(file: string): { found: FoundDocument[]; faults: Fault[] } {
  const found: FoundDocument[] = []
  const faults: Fault[] = []
  // in YAML a line that begins with --- ends a document wherever it stands
  const texts = file.replace(/^\uFEFF/, '').split(/^---(?:[ \t].*)?\r?$/m)
  let line = 0
  for (const [i, whole] of texts.entries()) {
    const offset = line
    line += whole.split('\n').length - 1
    // the line break after --- belongs to it
    const text = i === 0 ? whole : whole.replace(/^\n/, '')
    const above = offset + (text === whole ? 0 : 1)
    if (text.replace(/^\s*#.*$/gm, '').trim() === '') continue
    const [, name] = /^mattock:\s*['"]?([a-z]+)\//m.exec(text) ?? []
    const kind = documentKinds.find((one) => one === name)
    if (kind === undefined) {
      faults.push({
        code: 'document',
        message: `it does not say what it is; it begins with mattock: ${documentKinds.map((one) => `${one}/1`).join(' or ')}`,
        where: { line: above + 1, column: 1 },
      })
      continue
    }
    const { value, faults: own } = documents[kind].read(text)
    if (value !== undefined) found.push({ kind, text, value } as FoundDocument)
    for (const fault of own)
      faults.push({ ...fault, where: { ...fault.where, line: (fault.where.line ?? 1) + above } })
  }
  return { found, faults }
}
