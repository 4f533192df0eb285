import { z } from 'zod'
import { decisionKinds, decisionWords } from '../../decisionKinds'
import { field } from '../../field/field'
import { lengthWords } from '../../schedule/words'
import { lengthOf, lengthSchema } from '../../schedule/duration'
import { quietSchema } from '../quiet'
import { defineTelling } from './definition'

export const matters = defineTelling({
  words: 'what needs a decision, as it comes',
  schema: z.strictObject({
    about: field(z.array(field(z.enum(decisionKinds), { words: decisionWords })).min(1, 'at least one thing to tell of'), { label: 'tells of' }),
    jobs: field(z.array(field(z.string().min(1).max(200), { names: 'job' })).max(500), { label: 'of jobs', usual: 'all' })
      .optional()
      .describe('names of jobs; of every job where it is left out'),
    after: field(lengthSchema('PT0S', 'P2D'), { label: 'once it stands', usual: 'at once' })
      .optional()
      .describe('what passes within this time is not told (ISO 8601, such as PT10M)'),
    again: field(lengthSchema('PT5M', 'P30D'), { label: 'again every', usual: 'told once' })
      .optional()
      .describe('told again as often while it stands (ISO 8601, such as PT4H)'),
    cleared: field(z.boolean(), { label: 'when it is over' })
      .default(true)
      .describe('tells it, too'),
    quiet: field(quietSchema, { label: 'quiet hours', rare: true })
      .optional()
      .describe('hours of the day in which nothing is sent; what still stands at their end is told then'),
  }),
  fresh: { about: ['failed', 'check', 'late', 'file'] },
  text: ({ about, jobs, after, again, quiet }, zone) =>
    [
      about.length === decisionKinds.length ? 'whatever needs a decision' : about.map((kind) => decisionWords[kind]).join(', '),
      ...(jobs && jobs.length > 0 ? [`of ${jobs.slice(0, 3).join(', ')}${jobs.length > 3 ? ` and ${jobs.length - 3} more` : ''}`] : []),
      ...(after === undefined || lengthOf(after) === 0 ? [] : [`once it stands for ${lengthWords(lengthOf(after)!)}`]),
      ...(again === undefined ? [] : [`again every ${lengthWords(lengthOf(again)!)}`]),
      ...(quiet === undefined ? [] : [`quiet from ${quiet.from} to ${quiet.until} (${zone})`]),
    ].join('; '),
}) // prettier-ignore
