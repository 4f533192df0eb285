import { z } from 'zod'
import { field } from '../../field/field'
import { cronFault, cronWords } from '../../schedule/cron'
import { defineTelling } from './definition'

export const summary = defineTelling({
  words: 'a summary of the Morning sheet, at its time',
  schema: z.strictObject({
    at: field(
      z.string().superRefine((text, context) => {
        const fault = cronFault(text)
        if (fault !== undefined) context.addIssue({ code: 'custom', message: fault })
      }),
      { label: 'at', usual: '30 6 * * *' },
    ).describe('minute, hour, day of the month, month, day of the week; names may be used (crontab)'),
  }),
  fresh: { at: '30 6 * * *' },
  text: ({ at }, zone) => `a summary, ${cronWords(at)} (${zone})`,
})
