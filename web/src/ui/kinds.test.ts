import { describe, expect, it } from 'vitest'
import { couldHold, limitsOf } from './kinds'

const seems = {
  name: 'many' as const, confidence: 0.5, shares: [0.02, 0.5, 0, 0.48], overlapping: 0.9, overtones: 0, strokes_a_second: 0,
  bright_a_second: 2, of_two_pitches: 0.2,
} // prettier-ignore

describe('what else a take could hold', () => {
  it('is the next likeliest kind, where it is likely at all', () => {
    expect(couldHold(seems)).toEqual({ name: 'mix', share: 0.48 })
    expect(couldHold({ ...seems, shares: [0.04, 0.93, 0, 0.03] })).toBeNull()
  })
})

describe('what a reading will be bad at', () => {
  it('is octaves that are played, where they were taken for stops of one voice', () => {
    expect(limitsOf({ ...seems, name: 'one', overtones: 0.6 })).toContain('octaves')
    expect(limitsOf({ ...seems, name: 'one', overtones: 0.03 })).toBe('')
    expect(limitsOf({ ...seems, name: 'mix', overtones: 0.6 })).toContain('drum')
  })
})
