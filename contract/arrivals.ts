import { z } from 'zod'
import { arrivalAnswerKinds } from '../core/arrivals/answers'
import { moment } from './common'
import { route } from './route'
import { rowSchema } from './shapes'

const sliceSchema = z.object({ from: z.string(), to: z.string(), label: z.string() })

const habitSchema = z
  .object({
    median: z.number().describe('seconds after the end of its slice at which half of them have come'),
    late: z.number().describe('seconds after which nine of ten have come'),
    known: z.number().describe('files that it is known from'),
  })
  .meta({ id: 'ArrivalHabit', description: 'when files of a row usually come' })

const arrivalState = z.enum(['expected', 'here', 'loaded', 'late', 'missing', 'empty', 'again', 'without', 'unasked']).describe('expected: not due yet; again: a name that was loaded, with other content; without: somebody said that its slice goes without it') // prettier-ignore

const answerSchema = z
  .object({
    kind: z.enum(arrivalAnswerKinds).describe('instead: another file is taken; without: its slice goes without it; later: asked for again; never: not expected any more'),
    from: z.string().describe('beginning of the slice that it was said of'),
    until: z.string().nullable().describe('when it is asked for again'),
    file: z.string().nullable().describe('the file that is taken instead'),
    replaces: z.string().nullable().describe('the name in whose place it is taken'),
    why: z.string(),
    by: z.string(),
    at: z.string(),
  })
  .meta({ id: 'ArrivalAnswer', description: 'what somebody said about a file that did not come' }) // prettier-ignore

const arrivalSchema = z
  .object({
    job: z.string(),
    title: z.string(),
    part: z.string(),
    row: z.string(),
    slice: sliceSchema,
    store: z.string(),
    name: z.string().describe('the name, or its pattern'),
    due: z.string().nullable().describe('ISO 8601 instant; null where nobody knows'),
    by: z.enum(['control', 'habit']).nullable().describe('how the time is known that it is due at'),
    came: z.string().nullable().describe('when the last of its files came'),
    files: z.array(z.object({ path: z.string(), size: z.number() })),
    state: arrivalState,
    habit: habitSchema.nullable().describe('when its files usually come; null where too few are known'),
    answer: answerSchema.nullable().describe('what somebody said about it, where that makes its state'),
  })
  .meta({ id: 'Arrival', description: 'the files that a row and a slice expect' })

const straySchema = z
  .object({
    store: z.string(),
    path: z.string(),
    size: z.number(),
    modified: z.string(),
    count: z.number().describe('files that are called so, but for dates and numbers; this is the newest'),
    nearest: z.object({ job: z.string(), row: z.string(), name: z.string() }).nullable().describe('the row whose files are called most like it'),
    proposed: rowSchema.nullable().describe('a row by which it would be expected'),
    control: z.string().nullable().describe('the control table of that row'),
  })
  .meta({ id: 'StrayFile', description: 'a file that no row expects' }) // prettier-ignore

const place = z.object({
  environment: z.string(),
  job: z.string(),
  part: z.string().max(200),
  row: z.string().max(2000).describe('key of the row'),
  from: z.iso.datetime({ offset: true }).describe('beginning of its slice'),
})

export const arrivalRoutes = {
  answerArrival: route({
    needs: 'run',
    method: 'post',
    path: '/api/arrivals/answer',
    summary: 'say about the file of a row and slice: another is taken instead, the slice goes without it, it is asked for again later, or it is not expected any more',
    body: place.extend({
      kind: z.enum(arrivalAnswerKinds).describe('instead, without, later or never'),
      until: z.iso.datetime({ offset: true }).optional().describe('when it is asked for again'),
      file: z.string().max(4000).optional().describe('the file that is taken instead, as a path of its store'),
      replaces: z.string().max(4000).optional().describe('the name in whose place it is taken; the first of the row that lacks its file where it is left out'),
      why: z.string().trim().min(3, 'say why').max(1000).describe('it is kept'),
    }),
  }),
  dropArrivalAnswer: route({
    needs: 'run',
    method: 'post',
    path: '/api/arrivals/answer/drop',
    summary: 'take back what was said about a file that did not come',
    body: place,
  }),
  arrivals: route({
    method: 'get',
    path: '/api/arrivals',
    summary: 'the files that rows and slices expect, and whether they came; files that no row expects',
    query: z.object({
      environment: z.string(),
      from: moment,
      until: moment,
      job: z.string().optional().describe('every job that expects files where it is left out'),
    }),
    response: z.object({
      at: z.string().describe('now, by the clock that starts go by'),
      jobs: z.array(
        z.object({
          job: z.string(),
          title: z.string(),
          zone: z.string(),
          slices: z.array(sliceSchema),
          feeds: z.array(
            z.object({
              part: z.string(),
              row: z.string(),
              letters: z.string().describe('a letter for each slice: E expected, H here, L loaded, T late, M missing, Z empty, A again, W goes without it, N not asked for'),
              overdue: z.number().describe('slices of which a file is late or missing'),
              habit: habitSchema.nullable().describe('when its files usually come; null where too few are known'),
            }),
          ).describe('rows that expect files'),
          without: z.string().nullable().describe('why nothing is known of it'),
        }),
      ),
      newest: z.array(arrivalSchema).describe('what the newest slice of each job expects'),
      strays: z.array(straySchema).describe('files that no row expects, the newest first'),
    }),
  }),
} // prettier-ignore
