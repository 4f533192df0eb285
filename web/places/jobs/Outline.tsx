import { useRef, type KeyboardEvent, type ReactElement } from 'react'
import type { OutlineAnswer } from './Job'

/** Parts and steps in order; arrows or j and k move between the steps. */
export function Outline({
  outline,
  chosen,
  onChoose,
}: {
  outline: OutlineAnswer
  chosen: string | undefined
  onChoose: (step: string) => void
}): ReactElement {
  const list = useRef<HTMLDivElement>(null)
  const steps = outline.parts.flatMap((part) => part.steps.map(({ id }) => id))
  const keys = (event: KeyboardEvent) => {
    const by = { ArrowDown: 1, j: 1, ArrowUp: -1, k: -1 }[event.key]
    if (!by) return
    const next = steps[Math.max(0, Math.min(steps.length - 1, steps.indexOf(chosen ?? '') + by))]
    if (next === undefined) return
    event.preventDefault()
    onChoose(next)
    list.current?.querySelector<HTMLElement>(`[data-step="${CSS.escape(next)}"]`)?.focus()
  }
  let number = 0
  return (
    <section
      className="sheet"
      aria-labelledby="steps"
      style={{ overflow: 'auto' }}
      ref={list}
      onKeyDown={keys}
    >
      <h2 id="steps">Steps</h2>
      {outline.parts.map((part) => (
        <div key={part.index}>
          <div className="soft" style={{ margin: '8px 0 3px' }}>
            {part.kind === 'once' ? 'once' : `each row${part.sliced ? ' · each slice' : ''}`}
            {part.atOnce !== null && (
              <span className="tag" style={{ marginLeft: 8 }}>
                {part.atOnce} at once
              </span>
            )}
            {part.title && ` · ${part.title}`}
          </div>
          {part.roster && (
            <div className="mono soft" style={{ margin: '0 0 4px', overflowWrap: 'anywhere' }}>
              {part.roster}
            </div>
          )}
          {part.steps.map((step) => {
            number++
            const here = step.id === chosen
            return (
              <button
                key={step.id}
                type="button"
                data-step={step.id}
                className="quiet-button"
                aria-current={here}
                tabIndex={here ? 0 : -1}
                onClick={() => onChoose(step.id)}
                style={{
                  display: 'grid',
                  gridTemplateColumns: '26px 1fr auto',
                  width: 'calc(100% + 28px)',
                  margin: '0 -14px',
                  padding: '5px 14px 5px 11px',
                  borderLeft: `3px solid ${here ? 'var(--spruce)' : 'transparent'}`,
                  background: here ? 'var(--tint)' : undefined,
                }}
              >
                <span className="soft">{number}</span>
                <span style={step.off ? { textDecoration: 'line-through' } : undefined}>{step.title}</span>
                <span className="soft">{step.off ? 'off' : step.kind}</span>
              </button>
            )
          })}
        </div>
      ))}
      {outline.parameters.length > 0 && (
        <>
          <h2 style={{ marginTop: 16 }}>Parameters</h2>
          <table className="plain">
            <tbody>
              {outline.parameters.map((parameter) => (
                <tr key={parameter.name}>
                  <td className="mono">{parameter.name}</td>
                  <td>
                    {parameter.type}
                    {parameter.default !== null && (
                      <>
                        , <span className="mono">{String(parameter.default)}</span> unless given
                      </>
                    )}
                    {parameter.note && <span className="soft"> ({parameter.note})</span>}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </>
      )}
      {outline.slices && (
        <>
          <h2 style={{ marginTop: 16 }}>Slices</h2>
          <span>
            every <span className="mono">{outline.slices.every}</span> from{' '}
            <span className="mono">{outline.slices.from}</span>, {outline.slices.zone}
          </span>
        </>
      )}
    </section>
  )
}
