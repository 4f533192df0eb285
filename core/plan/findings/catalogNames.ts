import { some } from '../../text/someOf'
import { expectedFiles, placeId, type FilePlace } from './expectedFiles'
import { loadGroups, type Rule } from './rule'

/** `catalog-names`: files of a dataset whose columns a person named, read by a job that does not name the dataset. */
export const catalogNames: Rule = (expansion, facts, findings) => {
  const groups = loadGroups<{ where: FilePlace; dataset: string; columns: readonly string[] }>()
  for (const { transfer, found, where } of expectedFiles(expansion, facts)) {
    const named = found.find((file) => file.named)?.named
    // columns that the job maps are named by it
    const given = new Set(Object.keys(transfer.spec.columns ?? {}))
    const columns = named?.columns.filter((name) => !given.has(name)) ?? []
    if (named && columns.length > 0)
      groups.add(`${placeId(where)} ${named.dataset}`, transfer, () => ({ ...named, where, columns }))
  }
  for (const { about, numbers, keys } of groups.list())
    findings.add(
      'catalog-names',
      'look',
      `${some(keys)}: the files are known as ${about.dataset}, whose ${some(about.columns)} a person named; say dataset: ${about.dataset} to have the names, too`,
      about.where,
      numbers,
    )
}
