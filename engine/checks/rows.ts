import type { CheckSpec } from '../../core/job/checks'
import { recorded } from '../context/step'
import { many, type Checker, type Verdict } from './definition'

type Band = CheckSpec<'rows'>

export const rows: Checker<Band> = {
  async table({ client, table, said, outcome, on }, band) {
    const { rows: answer } = await recorded(client, outcome, on, `select count(*) as n from ${table}`)
    return within(Number(answer[0].n), band, said)
  },
  files: (count, band) => within(count, band, 'what was read'),
}

function within(count: number, { at_least, at_most }: Band, said: string): Verdict {
  if (at_least !== undefined && count < at_least)
    return {
      why: `${many(count)} rows in ${said}, at least ${many(at_least)} are expected`,
      advice: 'look whether the source is complete',
      found: count,
    }
  if (at_most !== undefined && count > at_most)
    return {
      why: `${many(count)} rows in ${said}, at most ${many(at_most)} are expected`,
      advice: 'look whether the source holds more than it should',
      found: count,
    }
  return { found: count }
}
