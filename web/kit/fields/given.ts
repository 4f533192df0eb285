import type { Given } from './frame'

/** What stands where a map is wanted: a text that is being typed may have something else there. */
export const mapOf = (value: unknown): Given =>
  typeof value === 'object' && value !== null && !Array.isArray(value) ? (value as Given) : {}
