import { cleanup, configure } from '@testing-library/react'
import { afterEach, beforeEach, expect, vi } from 'vitest'
import { breaches } from './page'

// a page of many fields takes its time where the machine is busy
configure({ asyncUtilTimeout: 30_000, defaultHidden: true })

const boxOf = Element.prototype.getBoundingClientRect

/** A browser without a layout: what asks for room is given some. */
function layOut(): void {
  for (const [side, size] of [
    ['clientHeight', 600],
    ['clientWidth', 1100],
    ['offsetHeight', 600],
    ['offsetWidth', 1100],
  ] as const)
    Object.defineProperty(HTMLElement.prototype, side, { configurable: true, value: size })
  HTMLElement.prototype.scrollIntoView = () => {}
  // where nothing has a place all is in one, and dividers took the clicks that are for a field
  HTMLElement.prototype.getBoundingClientRect = function () {
    return this.getAttribute('role') === 'separator' ? new DOMRect(-1000, -1000, 1, 1) : boxOf.call(this)
  }
  vi.stubGlobal(
    'ResizeObserver',
    class {
      constructor(private readonly told: ResizeObserverCallback) {}
      observe(target: Element): void {
        const contentRect = { width: 1100, height: 600 } as DOMRectReadOnly
        this.told([{ target, contentRect } as ResizeObserverEntry], this as unknown as ResizeObserver)
      }
      unobserve(): void {}
      disconnect(): void {}
    },
  )
}

beforeEach(() => {
  layOut()
  // times are said against today, so today is always the same
  vi.useFakeTimers({ toFake: ['Date'], now: new Date('2026-11-24T05:00:00Z') })
})
afterEach(() => {
  cleanup()
  vi.useRealTimers()
  vi.unstubAllGlobals()
  expect(breaches.splice(0)).toEqual([])
})
