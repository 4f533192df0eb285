import { packingOf, type FilePacking } from '../../../core/job/fileWorks'
import { stepFault } from '../../context/step'
import type { ArchiveFormat } from './definition'
import { gzip } from './gzip'
import { tarGz } from './tar'
import { zip } from './zip'

const archives: Readonly<Record<FilePacking, ArchiveFormat>> = { zip, tar: tarGz, gzip }

/** How the archive of a name is packed. @throws StepFault `archive` where its name does not say */
export function archiveOf(path: string): ArchiveFormat {
  const packing = packingOf(path)
  return packing === undefined
    ? stepFault('archive', `${path} does not end like an archive`, 'use .zip, .tar.gz or .gz')
    : archives[packing]
}
