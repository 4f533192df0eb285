/**
 * Encodings of text files, by the labels of the WHATWG Encoding Standard, and the old ones of DOS. As there, `latin-1`
 * is read as windows-1252, which has letters where ISO 8859-1 has none. `utf-16` is either way round, as its mark says.
 */
export const encodings = [
  'utf-8', 'utf-16', 'utf-16be', 'utf-32', 'latin-1',
  'windows-1250', 'windows-1251', 'windows-1252', 'windows-1253', 'windows-1254', 'windows-1255', 'windows-1256', 'windows-1257', 'windows-1258',
  'iso-8859-2', 'iso-8859-4', 'iso-8859-5', 'iso-8859-7', 'iso-8859-9', 'iso-8859-15', 'koi8-r', 'koi8-u', 'macintosh',
  'cp437', 'cp850', 'cp852', 'cp866', 'shift_jis', 'euc-jp', 'gbk', 'gb18030', 'big5', 'euc-kr',
] as const // prettier-ignore
export type Encoding = (typeof encodings)[number]

/** `windows-1252` as `Windows-1252`, `utf-8` as `UTF-8`. */
export const encodingWords: Readonly<Record<string, string>> = Object.fromEntries(
  encodings.map((name) => [
    name,
    /^(utf|iso|cp|koi8|euc|gb)/.test(name) ? name.toUpperCase() : name[0]!.toUpperCase() + name.slice(1),
  ]),
)
