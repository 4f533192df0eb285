/** Stands for a value that is kept and never shown. */
export const keptValue = '••••'

/** The lines `Name: value` of a text, in their order. */
export const linesIn = (text: string): { name: string; value: string }[] =>
  text.split('\n').flatMap((line) => {
    const at = line.indexOf(':')
    return at > 0 ? [{ name: line.slice(0, at).trim(), value: line.slice(at + 1).trim() }] : []
  })

const textOf = (lines: readonly { name: string; value: string }[]): string =>
  lines.map(({ name, value }) => `${name}: ${value}`).join('\n')

/** A text of lines with none of its values. */
export const withoutValues = (text: string): string =>
  textOf(linesIn(text).map(({ name }) => ({ name, value: keptValue })))

/** A text of lines with the values that are kept in the place of those that stand for them. */
export const withValues = (text: string, kept: Readonly<Record<string, string>>): string =>
  textOf(
    linesIn(text).map(({ name, value }) => ({
      name,
      value: value === keptValue ? (kept[name] ?? '') : value,
    })),
  )
