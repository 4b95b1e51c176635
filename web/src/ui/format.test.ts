import { describe, expect, it } from 'vitest'
import { clock, decibels, pitchName, plural, signed } from './format'

describe('numbers as they are shown', () => {
  it('shows minutes and seconds', () => {
    expect(clock(62.4504)).toBe('1:02.450')
    expect(clock(59.9996)).toBe('1:00.000')
    expect(clock(3.2, 1)).toBe('0:03.2')
    expect(clock(125, 0)).toBe('2:05')
    expect(clock(-0.25)).toBe('−0:00.250')
  })
  it('names pitches with middle C as C4', () => {
    expect([60, 61, 69, 0, 127].map((pitch) => pitchName(pitch))).toEqual(['C4', 'C♯4', 'A4', 'C-1', 'G9'])
    const inFMinor = ['C', 'D♭', 'D', 'E♭', 'E', 'F', 'G♭', 'G', 'A♭', 'A', 'B♭', 'B']
    expect(pitchName(61, inFMinor)).toBe('D♭4')
  })
  it('signs differences and nothing else', () => {
    expect([6.4, -3.5, 0, -0.2].map((v) => signed(v))).toEqual(['+6', '−4', '0', '0'])
    expect(signed(1.25, 1)).toBe('+1.3')
  })
  it('counts in words', () => {
    expect([plural(1, 'note'), plural(0, 'note'), plural(2, 'part')]).toEqual([
      '1 note',
      '0 notes',
      '2 parts',
    ])
    expect(decibels(-18.24)).toBe('−18.2 dB')
  })
})
