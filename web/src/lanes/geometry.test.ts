import { describe, expect, it } from 'vitest'
import { barStep, labelStep, PitchAxis, pitchRange, TimeAxis } from './geometry'

describe('geometry', () => {
  it('goes there and back', () => {
    const time = new TimeAxis(2, 7, 1000)
    expect(time.time(time.x(3.21))).toBeCloseTo(3.21, 9)
    const pitch = new PitchAxis(48, 72, 480)
    expect(pitch.pitch(pitch.y(60.25))).toBeCloseTo(60.25, 9)
    expect(pitch.semitone).toBe(20)
  })
  it('keeps labels apart', () => {
    expect(labelStep(1 / 100, 60)).toBe(1)
    expect(labelStep(3600 / 1000, 60)).toBe(300)
    expect(barStep(10, 45)).toBe(8)
  })
  it('shows at least an octave and a half', () => {
    expect(pitchRange(new Float32Array([60]))).toEqual([51, 69])
    expect(pitchRange(new Float32Array([]))).toEqual([50, 79])
  })
})
