import { mkdirSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { parseArgs } from 'node:util'
import { documentKinds, documents, type DocumentKind } from '../core/document/documents'
import { didYouMean } from '../core/expression/nearest'
import { openApi } from './api'
import { carrierOf } from './documents'
import { dataFolder } from './state'
import { UsageError } from './usage'

/**
 * get KIND NAME writes a document on standard output; get --all writes every one, or into a folder a kind with --into.
 * Secrets are never among it.
 */
export async function get(args: string[]): Promise<number> {
  const { values, positionals } = parseArgs({
    args,
    allowPositionals: true,
    options: {
      data: { type: 'string' },
      env: { type: 'string', default: process.env.MATTOCK_ENV ?? 'dev' },
      all: { type: 'boolean', default: false },
      into: { type: 'string' },
    },
  })
  const [kind, name, ...more] = positionals
  if (values.all ? kind !== undefined : name === undefined || more.length > 0)
    throw new UsageError('get takes a kind and a name, or --all')
  if (kind !== undefined && !documentKinds.includes(kind as DocumentKind))
    throw new UsageError(`"${kind}" is none of ${documentKinds.join(', ')}${didYouMean(kind, documentKinds)}`)
  const api = openApi(dataFolder(values.data))
  const wanted: { kind: DocumentKind; name: string }[] = []
  for (const one of values.all ? documentKinds : [kind as DocumentKind]) {
    const names = await carrierOf(one).names(api, values.env)
    if (name !== undefined && !names.includes(name)) {
      process.stderr.write(
        `mattock: there is no ${documents[one].words} "${name}"${didYouMean(name, names)}\n`,
      )
      return 2
    }
    for (const own of name === undefined ? names : [name]) wanted.push({ kind: one, name: own })
  }
  for (const [i, one] of wanted.entries()) {
    const text = await carrierOf(one.kind).get(api, one.name, values.env)
    if (values.into === undefined)
      process.stdout.write(`${i === 0 ? '' : '---\n'}${text.replace(/\n*$/, '\n')}`)
    else {
      const folder = join(values.into, one.kind)
      mkdirSync(folder, { recursive: true })
      writeFileSync(join(folder, `${one.name}.yaml`), text)
    }
  }
  if (values.into !== undefined) process.stdout.write(`${wanted.length} documents in ${values.into}\n`)
  return 0
}
