/** The ground colours: ink on paper by day, chalk on slate by night. Text on them keeps 4.5:1 at least. */
export const day = {
  paper: '#F6F3EC', sheet: '#FDFCF8', ink: '#22302D', soft: '#56625E', rule: '#D8D2C4', faint: '#E9E4D8',
  spruce: '#1E5B52', onSpruce: '#FFFFFF', slate: '#3F5D78', slate2: '#7F95A8', slate3: '#B4C2CD', ochre: '#B9822A',
  ochreText: '#7F5713', ochreTint: '#FBF3E1', stripe: '#F2DDB4', rust: '#A8442F', rustInk: '#F6E7E2', tint: '#E9EFEA', grey: '#78827D',
} // prettier-ignore

export const night: typeof day = {
  paper: '#17201F', sheet: '#1E2928', ink: '#E6E4DA', soft: '#A9B3AE', rule: '#3A4745', faint: '#2A3534',
  spruce: '#7CC4B6', onSpruce: '#10201D', slate: '#86A9C8', slate2: '#5F7F9B', slate3: '#445E75', ochre: '#D9A650',
  ochreText: '#E2B870', ochreTint: '#322C1C', stripe: '#5A4726', rust: '#E0765E', rustInk: '#3A1811', tint: '#25332F', grey: '#8B9691',
} // prettier-ignore

export type Tokens = typeof day

/** The tokens as CSS custom properties: `--paper`, `--ochre-text` … */
export function cssTokens(tokens: Tokens): Record<string, string> {
  return Object.fromEntries(
    Object.entries(tokens).map(([name, value]) => [
      `--${name.replace(/[A-Z]/g, (c) => `-${c.toLowerCase()}`)}`,
      value,
    ]),
  )
}
