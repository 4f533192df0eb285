import type { Engine } from '../context/engine'

/** Does something again and again, one after the other; a fault is said and left to the next round. */
export function every(
  engine: Engine,
  what: string,
  milliseconds: number,
  work: () => Promise<unknown>,
): () => void {
  let timer: NodeJS.Timeout
  let stopped = false
  const round = async () => {
    await work().catch((error: unknown) => engine.log.warn({ error }, `${what} did not work; tried again`))
    if (!stopped) timer = setTimeout(() => void round(), milliseconds)
  }
  void round()
  return () => {
    stopped = true
    clearTimeout(timer)
  }
}
