import { useState, type ReactElement } from 'react'
import type { Answer } from '../../../contract/route'
import type { routes } from '../../../contract/routes'
import { LinkButton } from '../../kit/LinkButton'
import { bytesText, count, numberText, timeText } from '../../look/times'
import { Fact } from './Fact'

type StepFile = Answer<typeof routes.runLoad>['detail'][number]['files'][number]

/** Files shown until all are asked for, and the most that are shown at all. */
const [few, most] = [6, 2000]

const words: Readonly<Record<NonNullable<StepFile['did']>, string>> = {
  written: 'written',
  copied: 'copied',
  moved: 'moved',
  deleted: 'deleted',
  packed: 'packed',
  unpacked: 'unpacked',
  same: 'there already',
  left: 'stays',
}

/** The files that a step read, or dealt with: those that stay first, since they are to be looked at. */
export function StepFiles({ files }: { files: readonly StepFile[] }): ReactElement {
  const [all, setAll] = useState(false)
  const sorted = [...files].sort((a, b) => Number(b.did === 'left') - Number(a.did === 'left'))
  const shown = sorted.slice(0, all ? most : few)
  const rest = files.length - shown.length
  return (
    <>
      {shown.map((file) => (
        <Fact
          key={`${file.store} ${file.path} ${file.did}`}
          name={file.did === undefined ? 'file' : words[file.did]}
        >
          {file.path}
          {file.at && file.did !== 'unpacked' && ` → ${file.at.store}: ${file.at.path}`}
          {file.at && file.did === 'unpacked' && ` ← ${file.at.path}`}
          <br />
          <span className={file.did === 'left' ? 'look' : 'soft'}>
            {file.why !== undefined && `${file.why} · `}
            {bytesText(file.size)}
            {file.did === undefined &&
              `, ${numberText(file.records)} records, came ${timeText(file.modified)}`}
            , sha256 {file.sha256.slice(0, 16)}…
          </span>
        </Fact>
      ))}
      {rest > 0 && (
        <Fact name="">
          {all ? (
            `and ${count(rest, 'more file')}`
          ) : (
            <LinkButton onClick={() => setAll(true)}>all {count(files.length, 'file')}</LinkButton>
          )}
        </Fact>
      )}
    </>
  )
}
