import type { FaultCode } from './faultCodes'

/** Where something is: every part is optional, outermost first. */
export interface Place {
  readonly job?: string
  readonly part?: number
  readonly step?: string
  /** Path inside the document, such as `parts.0.do.1.transfer.from.files`. */
  readonly path?: string
  readonly row?: string
  readonly slice?: string
  /** Offset in characters from the start of the text. */
  readonly offset?: number
  readonly length?: number
  /** Line and column in the job document, both from 1. */
  readonly line?: number
  readonly column?: number
  readonly file?: string
  readonly connection?: string
  readonly run?: number
}

/** Something wrong with what a person wrote or what was found: a value, thrown only at the edges. */
export interface Fault {
  readonly code: FaultCode
  readonly message: string
  readonly where: Place
}

/** Carries a fault through code that throws. */
export class FaultError extends Error {
  constructor(readonly fault: Fault) {
    super(fault.message)
    this.name = 'FaultError'
  }
}

export function fail(code: FaultCode, message: string, where: Place = {}): never {
  throw new FaultError({ code, message, where })
}
