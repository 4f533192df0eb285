/** Rows that a roster may have; more are told, never cut. */
export const mostRows = 1_000_000
