import { describe, expect, it } from 'vitest'
import { drawGrid, drawRuler } from './drawRuler'
import { drawTogether } from './drawStave'
import { PitchAxis, TimeAxis } from './geometry'
import { Peaks } from './peaks'
import type { Colours } from './surface'

const colours = new Proxy({}, { get: () => '#000000' }) as unknown as Colours

/** A pen that counts what it is asked to draw. */
function countingPen() {
  const seen = { lines: 0, texts: [] as string[] }
  const pen = new Proxy(
    {},
    {
      get: (_, name) =>
        name === 'lineTo'
          ? () => seen.lines++
          : name === 'fillText'
            ? (text: string) => seen.texts.push(text)
            : () => undefined,
      set: () => true,
    },
  ) as unknown as CanvasRenderingContext2D
  return { pen, seen }
}

const hour = {
  time_s: Array.from({ length: 7200 }, (_, i) => i * 0.5),
  bar: Array.from({ length: 7200 }, (_, i) => Math.floor(i / 4) + 1),
  beat: Array.from({ length: 7200 }, (_, i) => (i % 4) + 1),
}

describe('ruler and grid', () => {
  it('draws beats and bars up close', () => {
    const { pen, seen } = countingPen()
    drawGrid(pen, new TimeAxis(100, 108, 800), 100, hour, colours)
    // Eight seconds hold four bars; a line on either side may be added.
    expect(seen.lines).toBeGreaterThanOrEqual(16)
    expect(seen.lines).toBeLessThanOrEqual(19)
  })
  it('thins an hour to lines that stay apart', () => {
    const { pen, seen } = countingPen()
    drawGrid(pen, new TimeAxis(0, 3600, 800), 100, hour, colours)
    expect(seen.lines).toBeGreaterThan(20)
    expect(seen.lines).toBeLessThan(800 / 6)
  })
  it('labels bars and seconds without crowding', () => {
    const { pen, seen } = countingPen()
    drawRuler(pen, new TimeAxis(0, 3600, 800), 34, hour, colours)
    expect(seen.texts).toContain('1')
    expect(seen.texts).toContain('10:00')
    expect(seen.texts.length).toBeLessThan(30)
  })
  it('shows seconds where there is no tempo', () => {
    const { pen, seen } = countingPen()
    drawRuler(pen, new TimeAxis(0, 10, 800), 34, null, colours)
    expect(seen.texts).toContain('0:05')
  })
})

describe('notes struck together', () => {
  const strokes = { onset_s: [1, 2, 3], low: [48, 50, 52], high: [64, 65, 67], size: [3, 3, 3] }
  it('are joined where they are in view', () => {
    const { pen, seen } = countingPen()
    drawTogether(pen, new TimeAxis(1.5, 2.5, 800), new PitchAxis(40, 80, 400), strokes, 0, colours)
    expect(seen.lines).toBe(3)
  })
  it('are left out where they would crowd', () => {
    const { pen, seen } = countingPen()
    const many = { ...strokes, onset_s: Array.from({ length: 900 }, (_, i) => i) }
    drawTogether(pen, new TimeAxis(0, 900, 800), new PitchAxis(40, 80, 400), many, 0, colours)
    expect(seen.lines).toBe(0)
  })
})

describe('peaks', () => {
  it('takes the level just finer than a pixel', () => {
    expect([10, 64, 500, 600, 5000, 1e6].map((n) => Peaks.levelFor(n))).toEqual([-1, 0, 0, 1, 2, 3])
  })
})
