/** Languages whose names of months are read (BCP 47). */
const languages = ['en', 'de', 'fr', 'es', 'it', 'nl', 'nb', 'sv', 'da', 'pt', 'pl', 'cs', 'fi'] as const

/**
 * Names of months in lower case, long and short, with and without the point of an abbreviation, and their number: those
 * of Unicode's CLDR, as Intl has them, in the forms that stand in a date and alone. Names that are another month
 * elsewhere are left out.
 */
export const monthNames: ReadonlyMap<string, number> = allNames()

function allNames(): Map<string, number> {
  const found = new Map<string, number | 'two'>()
  const add = (name: string, month: number) => {
    const before = found.get(name)
    found.set(name, before === undefined || before === month ? month : 'two')
  }
  for (const language of languages)
    for (const options of [
      { month: 'long' },
      { month: 'short' },
      { month: 'long', day: 'numeric' },
      { month: 'short', day: 'numeric' },
    ] as const) {
      const format = new Intl.DateTimeFormat(language, { ...options, timeZone: 'UTC' })
      for (let month = 1; month <= 12; month++) {
        const part = format.formatToParts(Date.UTC(2026, month - 1, 15)).find(({ type }) => type === 'month')
        const name = part?.value.toLowerCase()
        if (!name || !/^\p{L}{3,}\.?$/u.test(name)) continue
        add(name, month)
        add(name.endsWith('.') ? name.slice(0, -1) : `${name}.`, month)
      }
    }
  return new Map([...found].filter((entry): entry is [string, number] => entry[1] !== 'two'))
}
