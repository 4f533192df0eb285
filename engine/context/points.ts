import type { FaultPoint } from './faultPoints'

declare const MATTOCK_FAULTS: boolean | undefined

/** Meets the fault that a test laid at a point, if one did. */
export async function point(name: FaultPoint): Promise<void> {
  if (typeof MATTOCK_FAULTS !== 'undefined' && MATTOCK_FAULTS) await (await import('./faults')).meet(name)
}
