/** What readers of files say of a fault, in our words; undefined for what they do not say. Paths of this machine stay here. */
const words: readonly (readonly [RegExp, (message: string) => string])[] = [
  [/state machine reached an invalid state/, (message) => `${fileIn(message)}its lines end in more ways than one from some place on; say ends: mixed for it`],
  [/gzip|miniz|decompress|deflate|inflate|incorrect header check|unexpected end of file/i, (message) => `${fileIn(message)}gzip that cannot be unpacked to its end: it is broken off or damaged`],
  [/Maximum line size|LINE SIZE/i, (message) => `${fileIn(message)}a line of more than 2 MB, which no table has`],
  [/maximum_object_size/i, () => 'a document of more than 64 MB, or a record of more than 8 MB; parts of it cannot be read alone'],
  [/parquet/i, (message) => `${fileIn(message)}a Parquet file that is damaged: ${firstLine(message)}`],
  [/Malformed JSON|Invalid Input Error.*json/i, (message) => `no JSON that can be read: ${firstLine(message)}`],
] // prettier-ignore

export function readerWords(message: string): string | undefined {
  return words.find(([test]) => test.test(message))?.[1](message)
}

function fileIn(message: string): string {
  const path = /(?:file|File)\s*[=:]?\s*"?(\/[^"\s]+)/.exec(message)?.[1]
  return path ? `${path.split('/').at(-1)}: ` : ''
}

/** The first line of a message, without the reader's own word before it and without paths. */
export const firstLine = (message: string): string =>
  (message.split('\n')[0] ?? message)
    .replace(/^(Invalid Input|IO|Conversion|Binder|Parser|Not implemented|Invalid)( Error)?( Error)?: /, '')
    .replace(/"?\/[^"\s]*\/([^"/\s]+)"?/g, '$1')
    .slice(0, 200)
    .trim()
