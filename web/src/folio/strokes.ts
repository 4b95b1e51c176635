/** Notes as lanes draw them: columns in order of onset, found by time without looking at all. */
import type { NoteBody, Schemas } from './client'

export const INK = 0
export const DOUBTFUL = 1
export const LEFT_OUT = 2

/** Sure enough to be drawn in ink. */
export const SURE = 0.8

export interface Strokes {
  id: string[]
  onset: Float64Array
  offset: Float64Array
  pitch: Float32Array
  velocity: Uint8Array
  confidence: Float32Array
  kind: Uint8Array
  longest: number
}

export function emptyStrokes(count = 0): Strokes {
  return {
    id: new Array<string>(count).fill(''),
    onset: new Float64Array(count),
    offset: new Float64Array(count),
    pitch: new Float32Array(count),
    velocity: new Uint8Array(count),
    confidence: new Float32Array(count),
    kind: new Uint8Array(count),
    longest: 0,
  }
}

interface Row {
  id: string
  onset: number
  offset: number
  pitch: number
  velocity: number
  confidence: number
  kind: number
}

function packed(rows: Row[]): Strokes {
  rows.sort((a, b) => a.onset - b.onset || a.pitch - b.pitch)
  const strokes = emptyStrokes(rows.length)
  rows.forEach((row, i) => {
    strokes.id[i] = row.id
    strokes.onset[i] = row.onset
    strokes.offset[i] = row.offset
    strokes.pitch[i] = row.pitch
    strokes.velocity[i] = row.velocity
    strokes.confidence[i] = row.confidence
    strokes.kind[i] = row.kind
    strokes.longest = Math.max(strokes.longest, row.offset - row.onset)
  })
  return strokes
}

export function candidateId(index: number): string {
  return `candidate ${index}`
}

/** A reading's candidates: counted in ink, doubtful or left out in pencil. */
export function strokesOfCandidates(found: Schemas['Candidates'], least: number): Strokes {
  return packed(
    found.onset_s.map((onset, i) => ({
      id: candidateId(i),
      onset,
      offset: found.offset_s[i],
      pitch: found.pitch[i],
      velocity: found.velocity[i],
      confidence: found.confidence[i],
      kind: found.confidence[i] < least ? LEFT_OUT : found.confidence[i] < SURE ? DOUBTFUL : INK,
    })),
  )
}

/** A part's notes, and behind them the candidates that its limit leaves out. */
export function strokesOfPart(
  notes: NoteBody[],
  found: Schemas['Candidates'] | null,
  least: number,
  octave: number,
): Strokes {
  const rows: Row[] = notes.map((note) => {
    const confidence = note.touched ? 1 : (note.origin?.confidence ?? 1)
    return {
      id: note.id,
      onset: note.onset_s,
      offset: note.offset_s,
      pitch: note.pitch + 12 * octave,
      velocity: note.velocity,
      confidence,
      kind: confidence < SURE ? DOUBTFUL : INK,
    }
  })
  found?.onset_s.forEach((onset, i) => {
    if (found.confidence[i] >= least) return
    rows.push({
      id: candidateId(i),
      onset,
      offset: found.offset_s[i],
      pitch: found.pitch[i] + 12 * octave,
      velocity: found.velocity[i],
      confidence: found.confidence[i],
      kind: LEFT_OUT,
    })
  })
  return packed(rows)
}

/** Index of the first onset at or after a moment. */
export function firstFrom(onset: Float64Array, time: number): number {
  let low = 0
  let high = onset.length
  while (low < high) {
    const middle = (low + high) >> 1
    if (onset[middle] < time) low = middle + 1
    else high = middle
  }
  return low
}

/** First and one past the last index that may be seen between two moments. */
export function inView(strokes: Strokes, from: number, to: number): [number, number] {
  return [firstFrom(strokes.onset, from - strokes.longest), firstFrom(strokes.onset, to)]
}
