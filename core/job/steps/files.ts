import { z } from 'zod'
import { field, template } from '../../field/field'
import { fileWorkNames, fileWorks, type FileWork } from '../fileWorks'
import { identifier } from '../identifier'
import { defineStep, type Setting } from './definition'

const workOf = (beside: Readonly<Record<string, unknown>>) =>
  fileWorks[beside.do as FileWork] ?? fileWorks.copy

const from = z.strictObject({
  store: template({ as: 'text', names: 'files', column: 'from' }).describe('a connection of kind file store'),
  files: template({ as: 'path', column: 'files' }).describe(
    'path in the store; * and ? match within a name. All that match are taken',
  ),
})

const into = z.strictObject({
  store: template({ as: 'text', names: 'files', column: 'into' }).describe('a connection of kind file store'),
  folder: template({ as: 'path', column: 'folder', usual: 'its top' })
    .optional()
    .describe(
      'the folder that the files are put into, by their names; the top of the store where it is left out',
    ),
  file: template({ as: 'path', label: 'archive', column: 'archive', rare: true })
    .optional()
    .describe('pack: the archive; .zip, .tar.gz, or .gz for one file'),
})

/** What does not go together with what is done, by the key it concerns. */
function misfits(given: { do: FileWork; into?: z.output<typeof into> | undefined; covered_by?: unknown }): [string[], string][] {
  const work = fileWorks[given.do]
  const found: [string[], string][] = []
  if (work.into === 'nothing' && given.into) found.push([['into'], `${given.do} puts files nowhere`])
  if (work.into !== 'nothing' && !given.into) found.push([['into'], `${given.do} needs a place to put them into`])
  if (work.into === 'file' && given.into && given.into.file === undefined)
    found.push([['into', 'file'], `${given.do} needs the name of a file`])
  if (given.into?.file !== undefined && work.into !== 'file')
    found.push([['into', 'file'], `${given.do} puts files into a folder by their own names`])
  if (given.into?.folder !== undefined && work.into === 'file')
    found.push([['into', 'folder'], `${given.do} puts files into one file`])
  if (work.takesAway && given.covered_by === undefined)
    found.push([['covered_by'], `${given.do} takes away only what steps have loaded or copied: name them`])
  if (!work.takesAway && given.covered_by !== undefined)
    found.push([['covered_by'], `${given.do} takes nothing away`])
  return found
} // prettier-ignore

export const files = defineStep({
  does: 'files are copied, moved, deleted, packed or unpacked',
  tells: 'files',
  firstId: 'copy',
  namesSteps: 'covered_by',
  schema: z
    .strictObject({
      do: field(z.enum(fileWorkNames), {
        label: 'files',
        words: Object.fromEntries(fileWorkNames.map((name) => [name, fileWorks[name].words])),
      }).describe('what is done with them'),
      from: from.describe('the files'),
      into: field(into, { when: (beside) => workOf(beside).into !== 'nothing' })
        .optional()
        .describe('where they are put'),
      covered_by: field(z.array(identifier).min(1), {
        label: 'only what these steps covered',
        names: 'job-step',
        when: (beside) => workOf(beside).takesAway,
      })
        .optional()
        .describe(
          'a file is taken away only where each of these steps loaded it, or copied it whole, in this run, and it is still as it was; others stay, and are told',
        ),
      keep_folders: field(z.boolean(), { rare: true, label: 'folders', when: (beside) => workOf(beside).into !== 'nothing' })
        .default(false)
        .describe('below where they are put they keep their folders; else only their names'),
      exists: field(z.enum(['fail', 'replace']), {
        rare: true,
        label: 'a file that is there with other content',
        words: { fail: 'fails the load', replace: 'is replaced' },
        when: (beside) => workOf(beside).into !== 'nothing',
      })
        .default('fail')
        .describe('what is done where a file of that name is there with other content; the same content is left as it is'),
      missing: field(z.enum(['fail', 'skip', 'go-on']), {
        rare: true,
        label: 'no file',
        words: { fail: 'fails the load', skip: 'skips the load', 'go-on': 'is well, too' },
      })
        .default('fail')
        .describe('what a load does when no file matches'),
    })
    .superRefine((given, context) => {
      for (const [path, message] of misfits(given)) context.addIssue({ code: 'custom', path, message })
    })
    .describe('copies, moves, deletes, packs or unpacks files of a store'),
  fresh: ({ store }) =>
    `do: copy\nfrom: { store: ${store}, files: "*.csv" }\ninto: { store: ${store}, folder: archive }`,
  settings: ({ do: work, covered_by, keep_folders, exists, missing }) => {
    const settings: Setting[] = [{ label: 'files', text: fileWorks[work].words }]
    if (covered_by) settings.push({ label: 'only what is covered by', text: covered_by.join(', ') })
    if (keep_folders) settings.push({ label: 'folders', text: 'are kept' })
    if (exists === 'replace') settings.push({ label: 'other content', text: 'is replaced' })
    settings.push({
      label: 'no file',
      text: { fail: 'fail the load', skip: 'skip the load', 'go-on': 'go on' }[missing],
    })
    return settings
  },
  takesFiles: ({ do: work, missing, covered_by }) => ({
    missing,
    takesAway: fileWorks[work].takesAway,
    covers: fileWorks[work].keepsCopy,
    coveredBy: covered_by ?? [],
  }),
}) // prettier-ignore
