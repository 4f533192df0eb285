import { Button } from '@mui/material'
import type { ReactElement } from 'react'
import { useDropzone } from 'react-dropzone'

/** Endings of files that hold rows. */
export const rowEndings = ['.csv', '.tsv', '.txt', '.json', '.ndjson'] as const

/** Files that are picked, or dropped here. */
export function FilePick({
  label,
  endings,
  several = false,
  onFiles,
}: {
  readonly label: string
  readonly endings: readonly string[]
  readonly several?: boolean
  readonly onFiles: (files: readonly File[]) => void
}): ReactElement {
  const { getRootProps, getInputProps, open, isDragActive, fileRejections } = useDropzone({
    multiple: several,
    noClick: true,
    noKeyboard: true,
    accept: { 'application/octet-stream': [...endings] },
    onDropAccepted: (files) => onFiles(files),
  })
  const [refused] = fileRejections
  return (
    <div {...getRootProps()} className={isDragActive ? 'drop over' : 'drop'}>
      <input {...getInputProps({ 'aria-label': label })} />
      <Button onClick={open}>{several ? 'Pick files' : 'Pick a file'}</Button>
      <span className="soft">
        {isDragActive
          ? 'let go, and it is taken'
          : `or drop ${several ? 'them' : 'it'} here: ${endings.join(', ')}`}
      </span>
      {refused && (
        <span className="bad">
          {refused.file.name} does not end in {endings.join(', ')}
        </span>
      )}
    </div>
  )
}
