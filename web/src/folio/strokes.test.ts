import { describe, expect, it } from 'vitest'
import { DOUBTFUL, INK, inView, LEFT_OUT, strokesOfCandidates } from './strokes'

const found = {
  onset_s: [2, 0, 1],
  offset_s: [2.5, 4, 1.2],
  pitch: [62, 60, 61],
  velocity: [90, 91, 92],
  confidence: [0.95, 0.6, 0.2],
  onset_tolerance_s: [], offset_tolerance_s: [], centre_cents: [], level_db: [], runner_up: [], runner_up_share: [],
} // prettier-ignore

describe('strokes', () => {
  it('orders candidates and marks those in doubt and left out', () => {
    const strokes = strokesOfCandidates(found, 0.5)
    expect([...strokes.onset]).toEqual([0, 1, 2])
    expect([...strokes.kind]).toEqual([DOUBTFUL, LEFT_OUT, INK])
    expect(strokes.id).toEqual(['candidate 1', 'candidate 2', 'candidate 0'])
  })
  it('finds a long note that began before the view', () => {
    const strokes = strokesOfCandidates(found, 0.5)
    expect(inView(strokes, 3, 3.5)).toEqual([0, 3])
    expect(inView(strokes, 10, 11)).toEqual([3, 3])
  })
})
