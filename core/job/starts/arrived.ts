import { z } from 'zod'
import { lengthOf, lengthSchema } from '../../schedule/duration'
import { field } from '../../field/field'
import { lengthWords } from '../../schedule/words'
import { defineStart } from './definition'

const ways = {
  all: 'all that a slice expects',
  each: 'each as it comes',
  quiet: 'what came, once nothing more comes for a time',
} as const

export const arrived = defineStart({
  words: 'when its files arrive',
  schema: z
    .strictObject({
      wait_for: field(z.enum(['all', 'each', 'quiet']), { label: 'waits for', words: ways })
        .default('all')
        .describe('the files of all rows of a slice; each file, whenever it comes; or what came, after a quiet time'),
      quiet: field(lengthSchema('PT5S', 'P1D'), { usual: 'PT10M', when: ({ wait_for }) => wait_for === 'quiet' })
        .optional()
        .describe('ISO 8601 duration in which nothing more came; ten minutes where it is left out'),
      latest: field(lengthSchema('PT1M', 'P30D'), { label: 'at the latest', rare: true, when: ({ wait_for }) => wait_for === undefined || wait_for === 'all' })
        .optional()
        .describe('ISO 8601 duration after a slice is over when it begins with what is there; it waits for all where it is left out'),
      marker: field(z.string().regex(/^[^/\\]+$/, 'an ending, such as .done'), { usual: '.done', rare: true })
        .optional()
        .describe('a file counts as here when one of the same name and this ending is; where it is left out, when it no longer grows'),
    })
    .describe('when the files that its rows expect for its slices are there, and whole'),
  fresh: {},
  text: ({ wait_for, quiet, latest }) =>
    wait_for === 'each'
      ? 'for each file that it expects, when it comes'
      : wait_for === 'quiet'
        ? `when files came, and no more for ${lengthWords(quietFor(quiet))}`
        : `when all files of a slice are there${latest === undefined ? '' : `, or ${lengthWords(lengthOf(latest)!)} after it is over`}`,
  fault: (_given, { slices }) =>
    slices ? undefined : { path: '', message: 'the job has no slices for which its files could be expected' },
  takes: () => 'either',
  apart: true,
}) // prettier-ignore

/** Milliseconds without another file after which no more are waited for. */
export const quietFor = (quiet = 'PT10M'): number => lengthOf(quiet)!
