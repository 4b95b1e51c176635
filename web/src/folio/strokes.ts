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

/** Columns in order of onset, then pitch; rows that are in order already are not moved. */
function ordered(strokes: Strokes): Strokes {
  const { onset, offset, pitch } = strokes
  const count = onset.length
  let sorted = true
  for (let i = 0; i < count; i++) {
    strokes.longest = Math.max(strokes.longest, offset[i] - onset[i])
    if (i > 0 && (onset[i] < onset[i - 1] || (onset[i] === onset[i - 1] && pitch[i] < pitch[i - 1])))
      sorted = false
  }
  if (sorted) return strokes
  const order = Uint32Array.from({ length: count }, (_, i) => i)
  order.sort((a, b) => onset[a] - onset[b] || pitch[a] - pitch[b])
  const moved = emptyStrokes(count)
  moved.longest = strokes.longest
  order.forEach((from, to) => {
    moved.id[to] = strokes.id[from]
    moved.onset[to] = onset[from]
    moved.offset[to] = offset[from]
    moved.pitch[to] = pitch[from]
    moved.velocity[to] = strokes.velocity[from]
    moved.confidence[to] = strokes.confidence[from]
    moved.kind[to] = strokes.kind[from]
  })
  return moved
}

function kindOf(confidence: number, least: number): number {
  return confidence < least ? LEFT_OUT : confidence < SURE ? DOUBTFUL : INK
}

function putCandidate(
  s: Strokes,
  at: number,
  found: Schemas['Candidates'],
  i: number,
  least: number,
  octave: number,
) {
  s.id[at] = candidateId(i)
  s.onset[at] = found.onset_s[i]
  s.offset[at] = found.offset_s[i]
  s.pitch[at] = found.pitch[i] + 12 * octave
  s.velocity[at] = found.velocity[i]
  s.confidence[at] = found.confidence[i]
  s.kind[at] = kindOf(found.confidence[i], least)
}

export function candidateId(index: number): string {
  return `candidate ${index}`
}

/** A reading's candidates: counted in ink, doubtful or left out in pencil. */
export function strokesOfCandidates(found: Schemas['Candidates'], least: number): Strokes {
  const strokes = emptyStrokes(found.onset_s.length)
  for (let i = 0; i < found.onset_s.length; i++) putCandidate(strokes, i, found, i, least, 0)
  return ordered(strokes)
}

/** A part's notes, and behind them the candidates that its limit leaves out. */
export function strokesOfPart(
  notes: NoteBody[],
  found: Schemas['Candidates'] | null,
  least: number,
  octave: number,
): Strokes {
  const left = found ? [...found.confidence.keys()].filter((i) => found.confidence[i] < least) : []
  const strokes = emptyStrokes(notes.length + left.length)
  notes.forEach((note, i) => {
    const confidence = note.touched ? 1 : (note.origin?.confidence ?? 1)
    strokes.id[i] = note.id
    strokes.onset[i] = note.onset_s
    strokes.offset[i] = note.offset_s
    strokes.pitch[i] = note.pitch + 12 * octave
    strokes.velocity[i] = note.velocity
    strokes.confidence[i] = confidence
    // Below a limit that is being moved a note is shown as it will be: left out.
    strokes.kind[i] = kindOf(confidence, least)
  })
  left.forEach((i, k) => found && putCandidate(strokes, notes.length + k, found, i, least, octave))
  return ordered(strokes)
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
