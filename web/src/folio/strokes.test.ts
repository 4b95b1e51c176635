import { describe, expect, it } from 'vitest'
import type { NoteBody } from './client'
import { DOUBTFUL, INK, inView, LEFT_OUT, PartStrokes, rowsInDoubt, sameCandidates, strokesOfCandidates, strokesOfPart } from './strokes' // prettier-ignore

const at = (least: number) => ({ least, sure: 0.8 })
const found = {
  onset_s: [2, 0, 1],
  offset_s: [2.5, 4, 1.2],
  pitch: [62, 60, 61],
  velocity: [90, 91, 92],
  confidence: [0.95, 0.6, 0.2],
  onset_tolerance_s: [], offset_tolerance_s: [], centre_cents: [], level_db: [], runner_up: [], runner_up_share: [],
  limits: { counted: [], wrong: [], missed: [], best: 0.5 },
} // prettier-ignore

describe('strokes', () => {
  it('orders candidates and marks those in doubt and left out', () => {
    const strokes = strokesOfCandidates(found, at(0.5))
    expect([...strokes.onset]).toEqual([0, 1, 2])
    expect([...strokes.kind]).toEqual([DOUBTFUL, LEFT_OUT, INK])
    expect(strokes.id).toEqual(['candidate 1', 'candidate 2', 'candidate 0'])
  })
  it('finds a long note that began before the view', () => {
    const strokes = strokesOfCandidates(found, at(0.5))
    expect(inView(strokes, 3, 3.5)).toEqual([0, 3])
    expect(inView(strokes, 10, 11)).toEqual([3, 3])
  })
  it('knows candidates again that were formed anew', () => {
    const fewer = { ...found, onset_s: [2, 1], pitch: [62, 61] }
    const ids = ['candidate 0', 'candidate 1', 'candidate 2', 'a note']
    expect(sameCandidates(ids, found, fewer)).toEqual(['candidate 0', 'candidate 1', 'a note'])
  })
})

describe('strokes of a part, kept from edit to edit', () => {
  const note = (id: string, onset_s: number, pitch: number, touched = false) =>
    ({
      id,
      onset_s,
      offset_s: onset_s + 0.3,
      pitch,
      velocity: 80,
      touched,
      origin: { confidence: 0.6 },
    }) as NoteBody
  const notes = [note('a', 0.5, 60), note('b', 1.5, 62), note('c', 2.5, 64)]
  const replaced = (at: number, fresh: NoteBody) => notes.map((n, i) => (i === at ? fresh : n))

  it('are what a fresh start gives, whatever an edit did', () => {
    const edits = [
      replaced(1, note('b', 1.5, 74, true)),
      replaced(1, note('b', 9, 62, true)),
      replaced(0, { ...notes[0], offset_s: 7 } as NoteBody),
      replaced(2, note('new', 2.5, 64)),
      notes.slice(1),
      [...notes, note('d', 0.1, 50)],
    ]
    for (const edited of edits) {
      const kept = new PartStrokes()
      kept.of(notes, found, at(0.7), 0)
      expect(kept.of(edited, found, at(0.7), 0)).toEqual(strokesOfPart(edited, found, at(0.7), 0))
    }
  })
  it('keep their names where the order stays, and leave the older columns as they were', () => {
    const kept = new PartStrokes()
    const before = kept.of(notes, null, at(0.5), 0)
    const after = kept.of(replaced(1, note('b', 1.5, 50, true)), null, at(0.5), 0)
    expect(after.id).toBe(before.id)
    expect([before.pitch[1], after.pitch[1]]).toEqual([62, 50])
    expect([before.kind[1], after.kind[1]]).toEqual([DOUBTFUL, INK])
  })
  it('follow the limit and the octave', () => {
    const kept = new PartStrokes()
    kept.of(notes, null, at(0.5), 0)
    expect([...kept.of(notes, null, at(0.7), -1).pitch]).toEqual([48, 50, 52])
    expect(rowsInDoubt(kept.of(notes, null, at(0.7), 0), 0.12)).toEqual([0, 1, 2])
    expect(rowsInDoubt(kept.of(notes, null, at(0.7), 0), 0.65)).toEqual([])
  })
})
