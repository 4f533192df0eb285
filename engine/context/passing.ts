/** A fault of somebody else that may pass: the step is tried again. */
export class PassingError extends Error {
  readonly passes = true
  constructor(message: string, options?: ErrorOptions) {
    super(message, options)
    this.name = 'PassingError'
  }
}

/**
 * Does nobody answer at an address, or did who answered hang up? At a socket in a folder (unix(7)) that is also a file that is
 * not there yet (connect(2): ENOENT), or a queue of callers that is full (EAGAIN).
 */
export function isUnreachable(error: unknown): boolean {
  const { code, syscall, message } = error as NodeJS.ErrnoException
  // what the driver says of a connection that it lost, and of one that it is asked to use thereafter
  if (/Connection terminated|is not queryable|timeout exceeded when trying to connect/.test(message ?? ''))
    return true
  if (code === 'ENOENT' || code === 'EAGAIN') return syscall === 'connect'
  return ['ECONNREFUSED', 'ECONNRESET', 'EPIPE', 'ETIMEDOUT'].includes(code ?? '')
}
