import { writeSync } from 'node:fs'

/**
 * Writes a line to standard error, which may be a file on a disk that is full: then it is not written, and the next one is
 * tried again. A log is no reason for a process to end.
 */
export function tell(text: string): void {
  for (let tries = 0; tries < 20; tries++)
    try {
      writeSync(2, text)
      return
    } catch (error) {
      // a pipe whose reader is slow
      if ((error as NodeJS.ErrnoException).code !== 'EAGAIN') return
      Atomics.wait(new Int32Array(new SharedArrayBuffer(4)), 0, 0, 2)
    }
}

/** What others write to the streams of this process does not end it either. Call it first. */
export function writeOnAtAllCosts(): void {
  for (const stream of [process.stdout, process.stderr]) stream.on('error', () => {})
}
