import { z } from 'zod'
import { fail } from '../../fault'
import { resolveText, type RosterContext } from '../../roster/context'
import { patternTokens, type PatternPiece } from '../../roster/filePattern'
import { escapeWildcards } from '../../store/pattern'
import { template } from '../../field/field'
import { defineRoster } from './definition'

export const files = defineRoster({
  words: 'files of a store',
  schema: z
    .strictObject({
      store: template({ as: 'text', names: 'files' }).describe('a connection of kind file store'),
      named: template({ as: 'path' }).describe(
        'path in the store; {district} and {date:yyyyMMdd} are parts of the name that become columns',
      ),
      subfolders: z.boolean().default(false).describe('in folders below, too'),
    })
    .describe('files of a store, one row each'),
  text: ({ named, store, subfolders }) =>
    `files ${named} in ${store}${subfolders ? ' and its subfolders' : ''}`,
  fresh: { store: 'a-store', named: '{kind}_{date:yyyyMMdd}.csv' },
  texts: ({ store, named }) => [store, named],
  source: ({ store, named, subfolders }, context) => ({
    store: resolveText(store, 'text', 'files.store', context).text,
    pieces: resolvePattern(named, context),
    subfolders,
  }),
})

/** Expressions in a pattern of files become text; the named parts stay. */
function resolvePattern(text: string, context: RosterContext): PatternPiece[] {
  return patternTokens(text).map((token) => {
    if (token.kind === 'literal') return token.text
    if (token.kind === 'part') return { part: token.part, format: token.format }
    const resolved = resolveText(`{${token.source}}`, 'text', 'files.named', context).text
    if (resolved === '') fail('empty-value', `{${token.source}} is empty, and a path is built from it`)
    return escapeWildcards(resolved)
  })
}
