import type { ReactElement } from 'react'
import type { z } from 'zod'
import type { changeSchema, foundColumnSchema, verdictSchema } from '../../../contract/catalog'
import { readingText } from '../../../core/files/valueReading'
import { count, numberText } from '../../look/times'

export type FoundColumn = z.output<typeof foundColumnSchema>
type Verdict = z.output<typeof verdictSchema>
type Change = z.output<typeof changeSchema>

/** A type in its own colourless words; the source's words where they say more. */
export function TypeText({
  column,
}: {
  column: Pick<FoundColumn, 'type' | 'sourceType' | 'reading' | 'verdict'>
}): ReactElement {
  const { type, sourceType, reading, verdict } = column
  return (
    <span>
      {type}
      {sourceType && sourceType.toLowerCase() !== type && (
        <span className="soft"> {sourceType.toLowerCase()}</span>
      )}
      {reading && <span className="soft"> {readingText(reading)}</span>}
      {!reading && type === verdict?.type && verdict.asked?.length ? (
        <span className="look"> to be chosen</span>
      ) : null}
    </span>
  )
}

const kinds: Partial<Record<string, string>> = {
  integer: 'whole numbers',
  number: 'numbers',
  boolean: 'true or false',
  date: 'dates',
  time: 'times of day',
  timestamp: 'points in time',
}

/** Which values decided a column's type, in a sentence. */
export function evidenceText({ verdict, fromFolder, inFiles }: FoundColumn, files?: number): string {
  const parts: string[] = []
  if (fromFolder) parts.push('from the name of a folder')
  if (inFiles !== undefined && files !== undefined)
    parts.push(`in ${numberText(inFiles)} of ${count(files, 'file')}`)
  if (verdict) parts.push(verdictText(verdict))
  return parts.join(' · ')
}

function verdictText({ looked, blank, decided, stricter, asked }: Verdict): string {
  if (looked === 0) return 'never filled'
  if (asked && asked.length > 0)
    return `${asked.map(({ reading }) => readingText(reading)).join(' or ')}? ${count(looked, 'value')} can be read ${asked.length > 1 ? 'either way' : 'so'}`
  const seen = `${count(looked, 'value')}${blank > 0 ? `, ${numberText(blank)} blank` : ''}`
  if (!decided || !stricter) return seen
  const { first } = decided
  const share = (100 * stricter.fails) / looked
  const example = first ? `, such as “${first.value}”` : ''
  const place = first?.file ? ` (${first.file.split('/').at(-1)}, row ${numberText(first.row ?? 0)})` : ''
  return `${numberText(stricter.fails)} of ${count(looked, 'value')} (${share < 0.1 ? '<0.1' : share.toFixed(1)} %) are no ${kinds[stricter.type]}${example}${place}`
}

/** A change of schema, a line for each thing. */
export function ChangeLines({ change }: { change: Change }): ReactElement {
  return (
    <ul className="changes">
      {change.added.map((column) => (
        <li key={`+${column.name}`}>
          <b className="good">new</b> <span className="mono">{column.name}</span> <TypeText column={column} />
        </li>
      ))}
      {change.gone.map((column) => (
        <li key={`-${column.name}`}>
          <b className="bad">gone</b> <span className="mono">{column.name}</span> <TypeText column={column} />
        </li>
      ))}
      {change.changed.map(({ name, from, to }) => (
        <li key={name}>
          <b className="look">other type</b> <span className="mono">{name}</span> was {from}, is {to}
        </li>
      ))}
      {change.renamed.map(({ from, to, likeness }) => (
        <li key={`${from}${to}`} className="soft">
          perhaps <span className="mono">{from}</span> is now called <span className="mono">{to}</span>{' '}
          (likeness {likeness.toFixed(2)})
        </li>
      ))}
    </ul>
  )
}
