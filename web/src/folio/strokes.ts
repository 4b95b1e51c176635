/** Notes as lanes draw them: columns in order of onset, found by time without looking at all. */
import type { NoteBody, Schemas } from './client'

export const INK = 0
export const DOUBTFUL = 1
export const LEFT_OUT = 2

/** Limits of confidence: what is less sure is left out, what is less than sure is a doubt. */
export interface Limits {
  least: number
  sure: number
}

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

function isBefore(s: Strokes, a: number, b: number): boolean {
  return s.onset[a] < s.onset[b] || (s.onset[a] === s.onset[b] && s.pitch[a] < s.pitch[b])
}

/** Columns in order of onset, then pitch; rows that are in order already are not moved. */
function ordered(strokes: Strokes): Strokes {
  const { onset, offset, pitch } = strokes
  const count = onset.length
  let sorted = true
  for (let i = 0; i < count; i++) {
    strokes.longest = Math.max(strokes.longest, offset[i] - onset[i])
    if (i > 0 && isBefore(strokes, i, i - 1)) sorted = false
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

function kindOf(confidence: number, { least, sure }: Limits): number {
  return confidence < least ? LEFT_OUT : confidence < sure ? DOUBTFUL : INK
}

function putCandidate(
  s: Strokes,
  at: number,
  found: Schemas['Candidates'],
  i: number,
  limits: Limits,
  octave: number,
) {
  s.id[at] = candidateId(i)
  s.onset[at] = found.onset_s[i]
  s.offset[at] = found.offset_s[i]
  s.pitch[at] = found.pitch[i] + 12 * octave
  s.velocity[at] = found.velocity[i]
  s.confidence[at] = found.confidence[i]
  s.kind[at] = kindOf(found.confidence[i], limits)
}

/** Ids of candidates as they were formed before, as the same ones have them now; other ids stay. */
export function sameCandidates(
  ids: Iterable<string>,
  before: Schemas['Candidates'],
  now: Schemas['Candidates'],
) {
  const place = new Map(now.onset_s.map((onset, i) => [`${onset} ${now.pitch[i]}`, i]))
  const idNow = new Map(
    before.onset_s.map((onset, i) => [candidateId(i), place.get(`${onset} ${before.pitch[i]}`)] as const),
  )
  const found = [...ids].map((id) => (idNow.has(id) ? idNow.get(id) : id))
  return found.filter((id) => id !== undefined).map((id) => (typeof id === 'number' ? candidateId(id) : id))
}

export function candidateId(index: number): string {
  return `candidate ${index}`
}

/** A reading's candidates: counted in ink, doubtful or left out in pencil. */
export function strokesOfCandidates(found: Schemas['Candidates'], limits: Limits): Strokes {
  const strokes = emptyStrokes(found.onset_s.length)
  for (let i = 0; i < found.onset_s.length; i++) putCandidate(strokes, i, found, i, limits, 0)
  return ordered(strokes)
}

function putNote(s: Strokes, at: number, note: NoteBody, limits: Limits, octave: number) {
  const confidence = note.touched ? 1 : (note.origin?.confidence ?? 1)
  s.id[at] = note.id
  s.onset[at] = note.onset_s
  s.offset[at] = note.offset_s
  s.pitch[at] = note.pitch + 12 * octave
  s.velocity[at] = note.velocity
  s.confidence[at] = confidence
  // Below a limit that is being moved a note is shown as it will be: left out.
  s.kind[at] = kindOf(confidence, limits)
}

/** A part's notes, and behind them the candidates that its limit leaves out. */
export function strokesOfPart(
  notes: NoteBody[],
  found: Schemas['Candidates'] | null,
  limits: Limits,
  octave: number,
): Strokes {
  const left = found ? [...found.confidence.keys()].filter((i) => found.confidence[i] < limits.least) : []
  const strokes = emptyStrokes(notes.length + left.length)
  notes.forEach((note, i) => putNote(strokes, i, note, limits, octave))
  left.forEach((i, k) => found && putCandidate(strokes, notes.length + k, found, i, limits, octave))
  return ordered(strokes)
}

/** More changed notes than this are not worth patching in. */
const MOST_PATCHED = 500

/** The strokes of a part, kept from edit to edit: what few notes changed is patched into copies of the columns. */
export class PartStrokes {
  private notes: NoteBody[] = []
  private found: Schemas['Candidates'] | null = null
  private limits: Limits = { least: NaN, sure: NaN }
  private octave = 0
  private strokes = emptyStrokes()
  private rows: Map<string, number> | null = null

  of(notes: NoteBody[], found: Schemas['Candidates'] | null, limits: Limits, octave: number): Strokes {
    const { least, sure } = this.limits
    const alike =
      found === this.found && limits.least === least && limits.sure === sure && octave === this.octave
    const patched = alike ? this.patched(notes) : null
    if (!patched) {
      this.strokes = strokesOfPart(notes, found, limits, octave)
      this.rows = null
    } else this.strokes = patched
    Object.assign(this, { notes, found, limits, octave })
    return this.strokes
  }

  private rowOf(id: string): number {
    this.rows ??= new Map(this.strokes.id.map((each, i) => [each, i]))
    return this.rows.get(id) ?? -1
  }

  private patched(notes: NoteBody[]): Strokes | null {
    if (notes.length !== this.notes.length) return null
    const changed: NoteBody[] = []
    for (let i = 0; i < notes.length; i++) {
      if (notes[i] === this.notes[i]) continue
      if (notes[i].id !== this.notes[i].id || changed.push(notes[i]) > MOST_PATCHED) return null
    }
    const { id, onset, offset, pitch, velocity, confidence, kind } = this.strokes
    const s: Strokes = {
      id, onset: onset.slice(), offset: offset.slice(), pitch: pitch.slice(), velocity: velocity.slice(),
      confidence: confidence.slice(), kind: kind.slice(), longest: this.strokes.longest,
    } // prettier-ignore
    const rows = changed.map((note) => this.rowOf(note.id))
    changed.forEach((note, k) => putNote(s, rows[k], note, this.limits, this.octave))
    for (const row of rows) {
      if (row > 0 && isBefore(s, row, row - 1)) return null
      if (row < id.length - 1 && isBefore(s, row + 1, row)) return null
      s.longest = Math.max(s.longest, s.offset[row] - s.onset[row])
    }
    return s
  }
}

/** Rows that are worth walking through. */
export function rowsInDoubt(s: Strokes, leastWorth: number): number[] {
  const rows: number[] = []
  for (let i = 0; i < s.kind.length; i++)
    if (s.kind[i] === DOUBTFUL || (s.kind[i] === LEFT_OUT && s.confidence[i] >= leastWorth)) rows.push(i)
  return rows
}

export function countCounted(s: Strokes): number {
  let count = 0
  for (const kind of s.kind) if (kind !== LEFT_OUT) count++
  return count
}

/** Index of the first onset at or after a moment. */
export function firstFrom(onset: ArrayLike<number>, time: number): number {
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
