import { createPinia, setActivePinia } from 'pinia'
import { beforeEach, describe, expect, it, vi } from 'vitest'
import { useView } from './view'

beforeEach(() => {
  const kept = new Map<string, string>()
  vi.stubGlobal('localStorage', {
    getItem: (key: string) => kept.get(key) ?? null,
    setItem: (key: string, value: string) => kept.set(key, value),
  })
  vi.stubGlobal('document', { documentElement: { dataset: {} } })
  setActivePinia(createPinia())
})

describe('the stretch in view', () => {
  it('keeps the moment under the pointer in its place when zoomed', () => {
    const view = useView()
    view.setDuration(100)
    view.show(20, 40)
    view.zoom(0.5, 25)
    expect(view.span).toBeCloseTo(10)
    expect((25 - view.from) / view.span).toBeCloseTo(0.25)
  })
  it('goes down to single samples and not beyond the take', () => {
    const view = useView()
    view.setDuration(3600)
    view.show(10, 10)
    expect(view.span).toBeCloseTo(0.002)
    view.pan(-1e6)
    expect(view.from).toBeLessThan(0)
    expect(view.from).toBeGreaterThan(-0.02 * 3600)
    view.zoom(1e9, 10)
    expect(view.to).toBeLessThan(3600 * 1.02)
  })
  it('does not jump where a note is already seen, and centres one that is not', () => {
    const view = useView()
    view.setDuration(100)
    view.show(20, 30)
    view.reveal(22, 23)
    expect([view.from, view.to]).toEqual([20, 30])
    view.reveal(60, 61)
    expect((view.from + view.to) / 2).toBeCloseTo(60.5)
    expect(view.span).toBeCloseTo(10)
  })
})
