const encoder = new TextEncoder()

/** Postgres cuts identifiers at NAMEDATALEN − 1 = 63 bytes (documentation, "Identifiers and Key Words"). */
export const mostBytes = 63

/** Bytes of a name, as Postgres counts them in UTF-8. */
export const nameBytes = (name: string): number => encoder.encode(name).length

/** A name as Postgres would keep it. */
export const cutName = (name: string): string =>
  new TextDecoder().decode(encoder.encode(name).slice(0, mostBytes))
