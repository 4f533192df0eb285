/** A fault of somebody else that may pass: the step is tried again. */
export class PassingError extends Error {
  readonly passes = true
  constructor(message: string, options?: ErrorOptions) {
    super(message, options)
    this.name = 'PassingError'
  }
}
