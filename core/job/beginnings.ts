/** Names that a new part or step begins with, where the environment has some. */
export interface Beginnings {
  readonly database: string
  readonly store: string
  readonly service?: string
}

export const someNames: Beginnings = { database: 'a-database', store: 'a-store', service: 'a-service' }
