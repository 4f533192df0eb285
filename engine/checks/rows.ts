import type { CheckSpec } from '../../core/job/checks'
import { recorded, stepFault } from '../context/step'
import { many, type Checker } from './definition'

type Band = CheckSpec<'rows'>

export const rows: Checker<Band> = {
  async table({ client, table, said, outcome, on }, band) {
    const { rows: answer } = await recorded(client, outcome, on, `select count(*) as n from ${table}`)
    holds(Number(answer[0].n), band, said)
  },
  files: (count, band) => holds(count, band, 'what was read'),
}

function holds(count: number, { at_least, at_most }: Band, said: string): void {
  if (at_least !== undefined && count < at_least)
    stepFault(
      'check',
      `${many(count)} rows in ${said}, at least ${many(at_least)} are expected`,
      'look whether the source is complete',
    )
  if (at_most !== undefined && count > at_most)
    stepFault(
      'check',
      `${many(count)} rows in ${said}, at most ${many(at_most)} are expected`,
      'look whether the source holds more than it should',
    )
}
