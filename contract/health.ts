import { z } from 'zod'

/** One thing that Mattock needs to work. */
const part = z.object({
  ok: z.boolean().describe('is it well'),
  since: z.string().nullable().describe('since when it is not (ISO 8601 instant); null where it is'),
})

/** How Mattock is, for whoever asks: nothing in it names a person, a job or a place of the disk. */
export const healthSchema = z
  .object({
    ok: z.boolean().describe('is all of it well; else the answer’s status is 503'),
    words: z.array(z.string()).describe('what is wrong, a sentence each; empty where nothing is'),
    database: part
      .extend({ reason: z.string().nullable().describe('why it is away, as far as it is known') })
      .describe('Mattock’s own database'),
    workers: part
      .extend({ alive: z.number().describe('workers that said something lately') })
      .describe('what runs the loads'),
    disk: part
      .extend({ free: z.number().nullable().describe('bytes free where the data folder lies') })
      .describe('where the data folder lies'),
  })
  .meta({ id: 'Health', description: 'how Mattock is' })

export type Health = z.infer<typeof healthSchema>
