import type { DocumentKind, FoundDocument } from '../../core/document/documents'
import type { Api } from '../api'

export interface PutAsk {
  readonly environment: string
  /** Takes away rows of control tables that the document does not have. */
  readonly remove: boolean
  readonly message: string
  /** Environment variables, for secrets. */
  readonly variables: Readonly<Record<string, string | undefined>>
}

/** A kind of document: how it comes into Mattock and out of it. core/document/ has the other half. */
export interface Carrier<K extends DocumentKind> {
  /** What is wrong that can be seen before anything is put; undefined where nothing is. */
  readonly hindrance?: (
    document: Extract<FoundDocument, { kind: K }>['value'],
    ask: PutAsk,
  ) => string | undefined
  /** Looks at what is there, makes it so, and says what that changed; it may be called again. @throws ApiError */
  readonly put: (api: Api, document: Extract<FoundDocument, { kind: K }>, ask: PutAsk) => Promise<string>
  readonly names: (api: Api, environment: string) => Promise<string[]>
  /** As a document that can be put again. */
  readonly get: (api: Api, name: string, environment: string) => Promise<string>
}
