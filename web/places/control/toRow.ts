/** Where one row of a control table is opened. */
export const toControlRow = ({ control, key }: { readonly control: string; readonly key: string }): string =>
  `/control/${encodeURIComponent(control)}?row=${encodeURIComponent(key)}`
