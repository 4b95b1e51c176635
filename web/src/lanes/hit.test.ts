import { describe, expect, it } from 'vitest'
import { emptyStrokes, type Strokes } from '../folio/strokes'
import { PitchAxis, TimeAxis } from './geometry'
import { hitStroke } from './hit'

function strokes(rows: [number, number, number][]): Strokes {
  const s = emptyStrokes(rows.length)
  rows.forEach(([onset, offset, pitch], i) => {
    s.id[i] = String(i)
    s.onset[i] = onset
    s.offset[i] = offset
    s.pitch[i] = pitch
    s.longest = Math.max(s.longest, offset - onset)
  })
  return s
}

const time = new TimeAxis(0, 10, 1000)
const pitch = new PitchAxis(50, 70, 400)
const line = strokes([
  [0, 8, 55],
  [1, 2, 60],
  [2, 3, 61],
])

describe('hit', () => {
  it('takes the whole height of the semitone as the target', () => {
    expect(hitStroke(line, time, pitch, 150, pitch.y(60.45))).toEqual({ index: 1, part: 'body' })
    expect(hitStroke(line, time, pitch, 150, pitch.y(62))).toBeNull()
  })
  it('tells the ends from the body', () => {
    expect(hitStroke(line, time, pitch, 102, pitch.y(60))?.part).toBe('start')
    expect(hitStroke(line, time, pitch, 198, pitch.y(60))?.part).toBe('end')
  })
  it('finds a long note far behind its onset', () => {
    expect(hitStroke(line, time, pitch, 700, pitch.y(55))?.index).toBe(0)
    expect(hitStroke(line, time, pitch, 900, pitch.y(55))).toBeNull()
  })
  it('takes the nearer of two pitches', () => {
    expect(hitStroke(line, time, pitch, 200, pitch.y(60.8))?.index).toBe(2)
  })
  it('lets short notes be grabbed whole', () => {
    const short = strokes([[1, 1.05, 60]])
    expect(hitStroke(short, time, pitch, 101, pitch.y(60))?.part).toBe('body')
  })
})
