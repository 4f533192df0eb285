import { LinkButton } from '../../kit/LinkButton'
import {
  autocompletion,
  completionKeymap,
  type CompletionContext,
  type CompletionResult,
} from '@codemirror/autocomplete'
import { defaultKeymap, history, historyKeymap, indentWithTab } from '@codemirror/commands'
import { yaml } from '@codemirror/lang-yaml'
import { HighlightStyle, indentUnit, syntaxHighlighting } from '@codemirror/language'
import { lintGutter, setDiagnostics } from '@codemirror/lint'
import { EditorState } from '@codemirror/state'
import { EditorView, keymap, lineNumbers } from '@codemirror/view'
import { tags } from '@lezer/highlight'
import { useEffect, useRef, type ReactElement } from 'react'
import type { Fault } from '../../../core/fault'
import { offerAt, type OfferedNames } from '../../../core/job/complete'

const inks = HighlightStyle.define([
  { tag: tags.propertyName, color: 'var(--spruce)' },
  { tag: [tags.string, tags.content], color: 'var(--ink)' },
  { tag: [tags.number, tags.bool, tags.null], color: 'var(--slate)' },
  { tag: tags.comment, color: 'var(--soft)', fontStyle: 'italic' },
  { tag: tags.punctuation, color: 'var(--soft)' },
])

const look = EditorView.theme({
  '&': { height: '100%', fontSize: '12px', backgroundColor: 'var(--sheet)', color: 'var(--ink)' },
  '&.cm-focused': { outline: '2px solid var(--spruce)', outlineOffset: '-2px' },
  '.cm-scroller': { fontFamily: '"JetBrains Mono", ui-monospace, monospace', lineHeight: '1.6' },
  '.cm-content': { caretColor: 'var(--ink)' },
  '.cm-gutters': { backgroundColor: 'var(--sheet)', color: 'var(--soft)', border: '0' },
  '.cm-cursor': { borderLeftColor: 'var(--ink)' },
  '.cm-selectionBackground, &.cm-focused > .cm-scroller > .cm-selectionLayer .cm-selectionBackground': {
    backgroundColor: 'color-mix(in srgb, var(--spruce) 20%, transparent)',
  },
  '.cm-diagnostic': { fontFamily: '"Public Sans", sans-serif', borderLeft: '3px solid var(--rust)' },
  '.cm-tooltip-autocomplete > ul > li[aria-selected]': {
    backgroundColor: 'var(--tint)',
    color: 'var(--ink)',
  },
  '.cm-completionDetail': {
    color: 'var(--soft)',
    fontStyle: 'normal',
    fontFamily: '"Public Sans", sans-serif',
  },
  '.cm-completionMatchedText': { textDecoration: 'none' },
  '.cm-tooltip': { backgroundColor: 'var(--sheet)', border: '1px solid var(--rule)' },
})

/** What could stand at the cursor, by the schema of a job: as one types, or asked for by Ctrl and the space bar. */
function complete(context: CompletionContext, names: OfferedNames): CompletionResult | null {
  const offer = offerAt(context.state.doc.toString(), context.pos, names)
  const { options, from, to } = offer ?? { options: [], from: 0, to: 0 }
  if (options.length === 0 || (!context.explicit && from === context.pos)) return null
  return {
    from,
    to,
    filter: false,
    options: options.map(({ label, says, text }) => ({
      label,
      apply: text,
      ...(says ? { detail: says } : {}),
    })),
  }
}

interface Props {
  readonly text: string
  readonly faults: readonly Fault[]
  readonly locked: boolean
  /** What is offered where a name can stand. */
  readonly names: OfferedNames
  /** Line to begin at. */
  readonly line: number | undefined
  readonly onChange: (text: string) => void
  readonly onLine: (line: number) => void
}

/** The document as text; mistakes are marked at their line and listed below. */
export default function TextEditor({
  text,
  faults,
  locked,
  names,
  line,
  onChange,
  onLine,
}: Props): ReactElement {
  const holder = useRef<HTMLDivElement>(null)
  const editor = useRef<EditorView>(null)
  const told = useRef({ onChange, onLine, names })
  useEffect(() => {
    told.current = { onChange, onLine, names }
  })
  const first = useRef({ text, line })
  useEffect(() => {
    const view = new EditorView({
      parent: holder.current!,
      state: EditorState.create({
        doc: first.current.text,
        extensions: [
          lineNumbers(),
          history(),
          autocompletion({ override: [(context) => complete(context, told.current.names)], icons: false }),
          keymap.of([...completionKeymap, ...defaultKeymap, ...historyKeymap, indentWithTab]),
          indentUnit.of('  '),
          yaml(),
          syntaxHighlighting(inks),
          lintGutter(),
          look,
          EditorState.readOnly.of(locked),
          EditorView.contentAttributes.of({ 'aria-label': 'the job as text' }),
          EditorView.updateListener.of((update) => {
            if (update.docChanged) told.current.onChange(update.state.doc.toString())
            if (update.selectionSet)
              told.current.onLine(update.state.doc.lineAt(update.state.selection.main.head).number)
          }),
        ],
      }),
    })
    editor.current = view
    // what scrolls can be reached by the keyboard
    view.scrollDOM.tabIndex = 0
    const at = first.current.line
    if (at !== undefined && at <= view.state.doc.lines) {
      view.dispatch({ effects: EditorView.scrollIntoView(view.state.doc.line(at).from, { y: 'start' }) })
    }
    return () => view.destroy()
  }, [locked])
  useEffect(() => {
    const view = editor.current
    if (view && view.state.doc.toString() !== text)
      view.dispatch({ changes: { from: 0, to: view.state.doc.length, insert: text } })
  }, [text])
  useEffect(() => {
    const view = editor.current
    if (!view) return
    const { doc } = view.state
    const diagnostics = faults.flatMap(({ message, where }) => {
      const of = doc.line(Math.max(1, Math.min(where.line ?? 1, doc.lines)))
      const from = Math.min(of.from + Math.max(0, (where.column ?? 1) - 1), of.to)
      return [
        {
          from,
          to: Math.max(from, Math.min(of.to, from + (where.length ?? of.length))),
          severity: 'error' as const,
          message,
        },
      ]
    })
    view.dispatch(setDiagnostics(view.state, diagnostics))
  }, [faults, text])
  const go = (to: number) => {
    const view = editor.current
    if (!view) return
    const of = view.state.doc.line(Math.min(to, view.state.doc.lines))
    view.dispatch({
      selection: { anchor: of.from },
      effects: EditorView.scrollIntoView(of.from, { y: 'center' }),
    })
    view.focus()
  }
  return (
    <section className="sheet flush rows" aria-label="text">
      <div ref={holder} className="grow" style={{ overflow: 'hidden' }} />
      {faults.length > 0 && (
        <div className="fault" role="status" style={{ maxHeight: 130, overflow: 'auto' }}>
          {faults.map((fault, i) => (
            <div key={i}>
              <LinkButton onClick={() => go(fault.where.line ?? 1)}>line {fault.where.line ?? 1}</LinkButton>{' '}
              {fault.message}
            </div>
          ))}
        </div>
      )}
    </section>
  )
}
