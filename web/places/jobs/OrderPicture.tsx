import type { ReactElement } from 'react'
import { followsOn } from '../../../core/run/order'
import type { OutlineAnswer } from './answers'

/** Something that stands in an order: a part, or a step of one. */
export interface Placed {
  readonly id: string | null
  readonly title: string | null
  readonly track: number
  readonly level: number
  readonly waits: readonly number[]
  readonly when: string
  readonly hold: boolean
}

const nameOf = ({ id, title }: Placed, at: number): string => id ?? title ?? `part ${at + 1}`

/** What is not as usual about when one begins, in words; empty where each simply follows the one before it. */
export function orderText(all: readonly Placed[], at: number): string {
  const { waits, when, hold } = all[at]!
  const after = followsOn(waits, at) ? '' : waits.length === 0 ? 'begins at once' : `after ${waits.map((one) => nameOf(all[one]!, one)).join(', ')}` // prettier-ignore
  const on = { done: '', failed: 'when one before it failed', ended: 'whatever became of those before it' }[when] ?? `when ${when}` // prettier-ignore
  return [after, on, hold ? 'then holds for a look' : ''].filter((one) => one !== '').join(' · ')
}

const plain = (all: readonly Placed[]): boolean => all.every(({ track }) => track === 0)

/** Runs nothing of a job side by side? */
export const isPlainOrder = ({ parts }: OutlineAnswer): boolean =>
  plain(parts) && parts.every(({ steps }) => plain(steps))

/** The order as it is worked out: from the left to the right what waits for what, one line for each that runs beside. */
export function OrderPicture({ outline }: { outline: OutlineAnswer }): ReactElement {
  return (
    <figure style={{ margin: '14px 0 0' }} aria-label="the order, worked out">
      <figcaption className="soft">What waits for what</figcaption>
      {!plain(outline.parts) && <Stretch all={outline.parts} />}
      {outline.parts
        .filter(({ steps }) => !plain(steps))
        .map(({ index, steps }) => (
          <Stretch key={index} all={steps} />
        ))}
    </figure>
  )
}

/** Pixels: of all of it, where that is enough; between the lines; between one and the next. */
const [room, height, gap] = [330, 30, 18]

function Stretch({ all }: { all: readonly Placed[] }): ReactElement {
  const levels = Math.max(...all.map(({ level }) => level)) + 1
  const width = Math.max(60, Math.min(108, (room - gap * (levels - 1)) / levels))
  const x = (at: number) => all[at]!.level * (width + gap)
  const y = (at: number) => all[at]!.track * height
  const wide = levels * (width + gap) - gap
  const high = (Math.max(...all.map(({ track }) => track)) + 1) * height
  return (
    <div style={{ overflowX: 'auto', marginTop: 6 }}>
      <svg
        width={wide + 2}
        height={high}
        role="img"
        aria-label={all.map((one, at) => `${nameOf(one, at)} ${orderText(all, at)}`.trim()).join('; ')}
      >
        {all.flatMap(({ waits }, at) =>
          waits.map((before) => (
            <path
              key={`${before} ${at}`}
              d={`M${x(before) + width} ${y(before) + 22} H${x(at) - gap / 2} V${y(at) + 22} H${x(at)}`}
              fill="none"
              stroke="var(--rule)"
            />
          )),
        )}
        {all.map((one, at) => (
          <g key={nameOf(one, at)}>
            <text x={x(at)} y={y(at) + 15} fontSize={11.5} fill="var(--ink)" className="mono">
              {short(nameOf(one, at), Math.floor(width / 7))}
            </text>
            <line
              x1={x(at)}
              x2={x(at) + width}
              y1={y(at) + 22}
              y2={y(at) + 22}
              stroke={one.when === 'done' ? 'var(--slate)' : 'var(--ochre)'}
              strokeWidth={3}
              strokeDasharray={one.when === 'done' ? undefined : '5 3'}
            />
            {one.hold && (
              <path
                d={`M${x(at) + width - 7} ${y(at) + 17} v10 m4 0 v-10`}
                stroke="var(--ink)"
                strokeWidth={1.5}
              />
            )}
          </g>
        ))}
      </svg>
    </div>
  )
}

const short = (name: string, most: number): string =>
  name.length > most ? `${name.slice(0, most - 1)}…` : name
