import { readFileSync } from 'node:fs'
import { parseArgs } from 'node:util'
import { documentKinds, readDocuments, type FoundDocument } from '../core/document/documents'
import { openApi } from './api'
import { carrierOf } from './documents'
import { dataFolder } from './state'
import { UsageError } from './usage'

const options = {
  data: { type: 'string' },
  env: { type: 'string', default: process.env.MATTOCK_ENV ?? 'dev' },
  remove: { type: 'boolean', default: false },
  message: { type: 'string', default: '' },
  json: { type: 'boolean', default: false },
} as const

/**
 * put FILE…: jobs, control tables and connections from files, or from standard input where it is `-`. All are read and
 * looked at before the first is put; then connections before control tables before jobs.
 */
export async function put(args: string[]): Promise<number> {
  const { values, positionals } = parseArgs({ args, allowPositionals: true, options })
  if (positionals.length === 0) throw new UsageError('put takes files; - is standard input')
  const ask = {
    environment: values.env,
    remove: values.remove,
    message: values.message,
    variables: process.env,
  }
  const all: { file: string; document: FoundDocument }[] = []
  let wrong = 0
  const complain = (file: string, where: { line?: number; column?: number }, message: string) => {
    wrong++
    const place = [file, where.line, where.column].filter((one) => one !== undefined).join(':')
    process.stderr.write(`mattock: ${place}: ${message}\n`)
  }
  for (const name of positionals) {
    const file = name === '-' ? 'standard input' : name
    const { found, faults } = readDocuments(readText(name))
    for (const { where, message } of faults) complain(file, where, message)
    if (found.length === 0 && faults.length === 0) complain(file, {}, 'there is no document in it')
    for (const document of found) {
      const hindrance = carrierOf(document.kind).hindrance?.(document.value as never, ask)
      if (hindrance !== undefined) complain(file, {}, hindrance)
      all.push({ file, document })
    }
  }
  if (wrong > 0) {
    process.stderr.write('mattock: nothing was put\n')
    return 2
  }
  const api = openApi(dataFolder(values.data))
  const order = ({ document }: { document: FoundDocument }) => documentKinds.indexOf(document.kind)
  const done: { kind: string; name: string; did: string }[] = []
  for (const { file, document } of all.sort((a, b) => order(a) - order(b))) {
    const { kind, value } = document
    try {
      const did = await api.patiently(() => carrierOf(kind).put(api, document as never, ask))
      done.push({ kind, name: value.name, did })
      if (!values.json) process.stdout.write(`${kind} ${value.name}: ${did}\n`)
    } catch (error) {
      process.stderr.write(
        `mattock: ${file}: ${kind} ${value.name}: ${(error as Error).message}\nmattock: ${done.length} of ${all.length} were put before it\n`,
      )
      return 1
    }
  }
  if (values.json) process.stdout.write(`${JSON.stringify(done)}\n`)
  return 0
}

function readText(name: string): string {
  try {
    return readFileSync(name === '-' ? 0 : name, 'utf8')
  } catch (error) {
    throw new UsageError(`${name} cannot be read: ${(error as Error).message}`)
  }
}
