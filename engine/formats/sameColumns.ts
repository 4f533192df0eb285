import { stepFault } from '../context/step'
import type { FormattedFile } from './definition'

/** Holds that files name the same columns, each once. @throws StepFault `columns-differ`, `header` */
export function sameColumns(files: readonly FormattedFile[]): void {
  const [first] = files
  const odd = files.find(({ names }) => names.join('\n') !== first!.names.join('\n'))
  if (odd)
    stepFault(
      'columns-differ',
      `${odd.path} has other columns than ${first!.path}`,
      'load files of different columns by rows of their own',
    )
  const { names, path } = first!
  const twice = names.find((name, i) => names.indexOf(name) !== i)
  if (twice !== undefined) stepFault('header', `${path}: the header names "${twice}" twice`, 'mend the file')
  const blank = names.findIndex((name) => name.trim() === '')
  if (blank >= 0)
    stepFault('header', `${path}: column ${blank + 1} of the header has no name`, 'mend the file')
}
