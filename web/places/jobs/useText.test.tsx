import { act, renderHook } from '@testing-library/react'
import fc from 'fast-check'
import { describe, expect, it, vi } from 'vitest'
import { useText } from './useText'

const begin = (text = 'a') => renderHook(() => useText(text)).result

describe('a text with undo', () => {
  it('takes each edit back, and does it again', () => {
    const text = begin()
    act(() => text.current.set('b'))
    act(() => text.current.set('c'))
    act(() => text.current.undo())
    expect(text.current).toMatchObject({ text: 'b', canUndo: true, canRedo: true })
    act(() => text.current.undo())
    expect(text.current).toMatchObject({ text: 'a', canUndo: false, canRedo: true })
    act(() => text.current.redo())
    act(() => text.current.redo())
    expect(text.current).toMatchObject({ text: 'c', canUndo: true, canRedo: false })
  })

  it('takes what was typed quickly for one edit, and what was typed after a pause for another', () => {
    const text = begin('')
    for (const typed of ['f', 'fl', 'flo', 'flow']) act(() => text.current.set(typed, true))
    vi.setSystemTime(Date.now() + 1000)
    act(() => text.current.set('flow2', true))
    act(() => text.current.undo())
    expect(text.current.text).toBe('flow')
    act(() => text.current.undo())
    expect(text.current.text).toBe('')
  })

  it('forgets what was taken back when something else is done', () => {
    const text = begin()
    act(() => text.current.set('b'))
    act(() => text.current.undo())
    act(() => text.current.set('c'))
    expect(text.current.canRedo).toBe(false)
    act(() => text.current.redo())
    expect(text.current.text).toBe('c')
  })

  it('is the same after as many undos as edits, and after as many redos', () => {
    fc.assert(
      fc.property(fc.array(fc.stringMatching(/^[a-c]$/), { maxLength: 12 }), (edits) => {
        const text = begin('start')
        for (const edit of edits) act(() => text.current.set(edit))
        const last = text.current.text
        for (const _ of edits) act(() => text.current.undo())
        expect(text.current.text).toBe('start')
        for (const _ of edits) act(() => text.current.redo())
        expect(text.current.text).toBe(last)
      }),
      { numRuns: 30 },
    )
  })
})
