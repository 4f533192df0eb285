/** A time as the database writes it, as planning does: an ISO 8601 instant without needless zeros, `2026-11-02T23:00:00Z`. */
export const instantText = (time: string): string => new Date(time).toISOString().replace('.000Z', 'Z')
