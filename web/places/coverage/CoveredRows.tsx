import { useCallback, useMemo, useState, type ReactElement } from 'react'
import { useMay } from '../../data/session'
import { BarMark } from '../../look/Bars'
import { pickedByJob, type Line, type Place } from './lines'
import { PickedLines, usePlanning } from './PickedLines'
import { Sheet } from './Sheet'
import { SlicePanel } from './SlicePanel'

const legend = [
  ['loaded', 'loaded, height = rows against the usual'],
  ['failed', 'failed'],
  ['renewed', 'a later load failed'],
  ['missing', 'nothing loaded'],
  ['expected', 'not due yet'],
] as const

interface Props {
  readonly lines: readonly Line[]
  /** Of the axis, as milliseconds since 1970. */
  readonly from: number
  readonly until: number
  readonly zone: string
  readonly environment: string
}

/** Rows along data time; what is chosen of them is told below, what is picked can be planned. */
export function CoveredRows({ lines, from, until, zone, environment }: Props): ReactElement {
  const mayRun = useMay('run', environment)
  const [chosen, setChosen] = useState<{ readonly id: string; readonly from: number }>()
  const [picked, setPicked] = useState<ReadonlySet<string>>(new Set())
  const cursor = useMemo(() => placeOf(lines, chosen), [lines, chosen])
  const choose = useCallback((place: Place) => {
    const line = lines[place.line]
    if (line?.kind === 'row') setChosen({ id: line.id, from: line.times.from[place.slice]! })
  }, [lines])
  const jobsPicked = useMemo(() => (picked.size === 0 ? [] : pickedByJob(lines, picked)), [lines, picked])
  const planning = usePlanning(environment)
  const line = cursor && lines[cursor.line]
  return (
    <>
      <section className="sheet" style={{ padding: '8px 6px 6px' }}>
        <Sheet lines={lines} from={from} until={until} zone={zone} cursor={cursor} picked={picked} onCursor={choose} onPicked={setPicked} />
      </section>
      {jobsPicked.length > 0 ? (
        <PickedLines picked={jobsPicked} planning={planning} environment={environment} mayRun={mayRun} onClear={() => setPicked(new Set())} />
      ) : (
        line?.kind === 'row' && <SlicePanel line={line} slice={cursor!.slice} environment={environment} />
      )}
      <div className="line soft" style={{ flexWrap: 'wrap', gap: 12, fontSize: 12 }}>
        {legend.map(([state, words]) => (
          <span key={state} className="line" style={{ gap: 5 }}>
            <BarMark state={state} /> {words}
          </span>
        ))}
        <span className="line" style={{ gap: 5 }}>
          <BarMark state="loaded" rejected={0.35} /> rows rejected
        </span>
        <span className="line" style={{ gap: 5 }}>
          <BarMark state="loaded" restated /> loaded again next time
        </span>
        <span style={{ marginLeft: 'auto' }}>drag or Shift + arrows pick · n next gap</span>
      </div>
    </>
  )
} // prettier-ignore

/** Where what was chosen stands now: lines come and go as they are filtered. */
function placeOf(lines: readonly Line[], chosen: { readonly id: string; readonly from: number } | undefined): Place | undefined {
  const at = chosen ? lines.findIndex(({ id }) => id === chosen.id) : -1
  const line = lines[at]
  if (line?.kind !== 'row') return undefined
  const slice = line.times.from.indexOf(chosen!.from)
  return slice < 0 ? undefined : { line: at, slice }
} // prettier-ignore
