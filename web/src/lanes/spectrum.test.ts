import { answerWith } from '../../testServer'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { PitchAxis, TimeAxis } from './geometry'
import { Spectrum } from './spectrum'

describe('columns of the spectrogram', () => {
  it('are at most two pixels long and never finer than the finest', () => {
    for (const perPixel of [0.0001, 0.004, 0.01, 0.1, 3]) {
      const column = Spectrum.columnFor(perPixel)
      expect(column).toBeGreaterThanOrEqual(128 / 22050)
      if (2 * perPixel > 128 / 22050) {
        expect(column).toBeLessThanOrEqual(2 * perPixel)
        expect(column).toBeGreaterThan(perPixel)
      }
    }
  })
})

describe('tiles of the spectrogram', () => {
  let asked: URL[] = []
  let drawn: number[][] = []
  const pen = {
    drawImage: (_: unknown, ...place: number[]) => drawn.push(place),
  } as unknown as CanvasRenderingContext2D
  const pitch = new PitchAxis(40, 80, 400)

  beforeEach(() => {
    asked = []
    drawn = []
    answerWith((request) => {
      asked.push(new URL(String(request), 'http://here/'))
      return Promise.resolve(new Response(new Uint8Array(256 * 312).fill(180)))
    })
    vi.stubGlobal('OffscreenCanvas', class { getContext = () => ({ putImageData: () => undefined }) }) // prettier-ignore
    vi.stubGlobal('ImageData', class {
      data: Uint8ClampedArray
      constructor(width: number, height: number) { this.data = new Uint8ClampedArray(4 * width * height) }
    }) // prettier-ignore
  })
  afterEach(() => vi.unstubAllGlobals())

  it('are asked for once, only those in view, and drawn where they belong', async () => {
    const loaded = vi.fn()
    const spectrum = new Spectrum('/spectrum', 600, -6, loaded)
    const time = new TimeAxis(100, 110, 1000)
    spectrum.draw(pen, time, pitch, '#4c5866')
    expect(drawn).toHaveLength(0)
    const length = 256 * Spectrum.columnFor(0.01)
    const wanted = Math.floor(110 / length) - Math.floor(100 / length) + 1
    await vi.waitFor(() => expect(loaded).toHaveBeenCalledTimes(wanted))
    spectrum.draw(pen, time, pitch, '#4c5866')
    expect(asked).toHaveLength(wanted)
    expect(drawn).toHaveLength(wanted)
    const first = Math.floor(100 / length) * length
    expect(drawn[0][0]).toBeCloseTo(time.x(first))
    // 104 semitones stand on the pitch axis as they do for the notes.
    expect(drawn[0][3]).toBeCloseTo(104 * pitch.semitone)
  })
  it('beyond the end of the take are not asked for', () => {
    new Spectrum('/spectrum', 2, -6, () => undefined).draw(pen, new TimeAxis(50, 60, 1000), pitch, '#4c5866')
    expect(asked).toHaveLength(0)
  })
  it('that failed are asked for again', async () => {
    answerWith((request) => {
      asked.push(new URL(String(request), 'http://here/'))
      return Promise.resolve(new Response('', { status: 500 }))
    })
    const spectrum = new Spectrum('/spectrum', 1, -6, () => undefined)
    const time = new TimeAxis(0, 1, 1000)
    spectrum.draw(pen, time, pitch, '#4c5866')
    const once = asked.length
    await vi.waitFor(() => {
      spectrum.draw(pen, time, pitch, '#4c5866')
      expect(asked.length).toBe(2 * once)
    })
  })
})
