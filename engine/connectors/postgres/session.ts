import pg from 'pg'

/**
 * Settings of a transaction in which a job's own SQL runs: days and local times are those of the job's zone, so that a
 * point in time held against a `date` or a `timestamp` means the same on every road. To be run with its `begin`.
 */
export const inZoneSql = (zone: string): string => `set local timezone to ${pg.escapeLiteral(zone)}`

/** The same where rows are read: values are written as every database reads them, whatever this one is set to. */
export const readingSql = (zone: string): string =>
  `${inZoneSql(zone)}; set local datestyle to 'ISO, YMD'; set local intervalstyle to 'postgres'; set local extra_float_digits to 1; set local bytea_output to 'hex'`
