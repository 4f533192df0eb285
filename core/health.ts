/** How the parts of Mattock are; `since` is an ISO 8601 instant, null where a part is well. */
export interface HealthParts {
  readonly database: { readonly since: string | null; readonly reason: string | null }
  readonly workers: { readonly since: string | null }
  readonly disk: { readonly since: string | null; readonly free: number | null }
}

/** What is wrong, a sentence each; `clock` writes the time of an instant. */
export function healthWords(
  { database, workers, disk }: HealthParts,
  clock: (instant: string) => string,
): string[] {
  const free = `${Math.round((disk.free ?? 0) / 2 ** 20).toLocaleString('en')} MB are free`
  return [
    database.since && `the database is away since ${clock(database.since)}: ${database.reason}`,
    workers.since && `no worker runs since ${clock(workers.since)}, and loads wait`,
    disk.since && `the disk of the data folder is full since ${clock(disk.since)}: ${free}`,
  ].filter((words): words is string => words !== null && words !== '')
}
