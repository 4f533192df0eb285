import { didYouMean } from '../expression/nearest'
import type { Job, Parameter } from '../job/document'
import { readCell } from '../catalog/rules'
import type { Row, Value } from '../value'
import type { Gatherer } from './gather'

/** The values of all parameters: those given, else the defaults. Faults become findings. */
export function givenParameters(job: Job, given: Row, findings: Gatherer): Row {
  const values: Record<string, Value> = {}
  for (const [name, parameter] of Object.entries(job.parameters)) {
    const path = `parameters.${name}`
    const value = name in given ? readAs(given[name] ?? null, parameter) : (parameter.default ?? null)
    if (value === undefined) {
      findings.add(
        'parameter',
        'stop',
        `parameter ${name}: "${String(given[name])}" is no ${parameter.type}`,
        { path },
      )
      continue
    }
    if (value === null && parameter.required) {
      findings.add('parameter', 'stop', `parameter ${name} needs a value; give it with --set ${name}=…`, {
        path,
      })
    }
    if (value !== null && parameter.one_of && !parameter.one_of.includes(value)) {
      findings.add(
        'parameter',
        'stop',
        `parameter ${name}: "${String(value)}" is not one of ${parameter.one_of.join(', ')}`,
        { path },
      )
    }
    values[name] = value
  }
  for (const name of Object.keys(given)) {
    if (name in job.parameters) continue
    findings.add(
      'unknown-name',
      'stop',
      `the job has no parameter "${name}"${didYouMean(name, Object.keys(job.parameters))}`,
      { path: 'parameters' },
    )
  }
  return values
}

/** A value as the parameter's type, from text where it came from the command line; undefined where it does not fit. */
function readAs(value: Value, { type }: Parameter): Value | undefined {
  if (value === null) return null
  const text = String(value)
  switch (type) {
    case 'text':
      return text
    case 'integer':
      return /^[+-]?\d+$/.test(text) ? Number(text) : undefined
    case 'decimal':
      return readCell(text, 'decimal')
    case 'number':
      return text.trim() !== '' && Number.isFinite(Number(text)) ? Number(text) : undefined
    case 'boolean':
      return text === 'true' ? true : text === 'false' ? false : undefined
    case 'date':
      return /^\d{4}-\d\d-\d\d$/.test(text) ? text : undefined
    case 'time':
      return /^\d\d:\d\d(:\d\d)?$/.test(text) ? text : undefined
    case 'timestamp':
      return Number.isNaN(Date.parse(text)) ? undefined : new Date(text).toISOString()
  }
}
