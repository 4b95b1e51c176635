/** One clock for recordings, parts and click. Plain scheduling; knows nothing of the interface. */
import {
  LIMIT_REACH,
  loadInstrument,
  softLimit,
  startNote,
  type Instrument,
  type Sounding,
} from './instruments'
import { Click, type Grid, type Ticks } from './Click'
import { PIECE_S, Recording } from './recording'
import { Voices } from './voices'
import { bytes } from '../folio/client'

const AHEAD_S = 0.5
const TICK_MS = 60
const START_DELAY_S = 0.03
/** Where a recording begins or ends to be heard it is softened over this time, so that nothing clicks. */
const EDGE_S = 0.004
const GRAIN_S = 0.09

export interface Line {
  id: string
  instrument: string
  levelDb: number
  pan: number
  notes: Sounding[]
}
export interface Program {
  recordingUrl: string | null
  duration: number
  lines: Line[]
  grid: Grid | null
  ticks?: Ticks | null
}
interface Stretch {
  at: number
  from: number
  to: number
}
interface Edges {
  rises: boolean
  falls: boolean
}
interface Track {
  line: Line
  instrument: Instrument
  out: GainNode
}

export class Player {
  readonly context: AudioContext
  private readonly master: GainNode
  private readonly recordingBus: GainNode
  private readonly notesBus: GainNode
  private readonly clickBus: GainNode
  private readonly recordings = new Map<string, Recording>()
  private program: Program = { recordingUrl: null, duration: 0, lines: [], grid: null }
  private tracks: Track[] = []
  private preparing: Promise<void> = Promise.resolve()
  readonly click: Click
  private readonly voices: Voices
  private stretches: Stretch[] = []
  private loop: [number, number] | null = null
  private cursor = 0
  private cursorAt = 0
  private end = 0
  private timer = 0
  private run = 0
  pace = 1
  playing = false
  onStop: () => void = () => undefined

  constructor() {
    this.context = new AudioContext({ latencyHint: 'interactive' })
    this.master = this.context.createGain()
    this.master.gain.value = 0.9 / LIMIT_REACH
    this.master.connect(softLimit(this.context)).connect(this.context.destination)
    this.recordingBus = this.bus(1)
    this.notesBus = this.bus(1)
    this.clickBus = this.bus(0)
    this.click = new Click(this.context)
    this.voices = new Voices(this.context)
  }

  private bus(level: number): GainNode {
    const gain = this.context.createGain()
    gain.gain.value = level
    gain.connect(this.master)
    return gain
  }

  /** 0 for the recording alone, 1 for the notes alone; equal power between. */
  setBalance(share: number): void {
    const now = this.context.currentTime
    this.recordingBus.gain.setTargetAtTime(Math.cos((share * Math.PI) / 2), now, 0.008)
    this.notesBus.gain.setTargetAtTime(Math.sin((share * Math.PI) / 2), now, 0.008)
  }
  setClick(level: number): void {
    this.clickBus.gain.setTargetAtTime(level, this.context.currentTime, 0.008)
  }

  /** Position in the recording that is heard now (s). */
  position(): number {
    const now = this.context.currentTime - (this.context.outputLatency || 0)
    let current = this.stretches[0]
    for (const stretch of this.stretches) if (stretch.at <= now) current = stretch
    if (!current) return this.cursor
    return Math.max(current.from, Math.min(current.to, current.from + (now - current.at) * this.pace))
  }

  /** Ready when the newest program is, also for a caller whose program a newer one has overtaken. */
  setProgram(program: Program): Promise<void> {
    this.program = program
    return (this.preparing = this.prepare(program))
  }

  private async prepare(program: Program): Promise<void> {
    const instruments = await Promise.all(
      program.lines.map((l) => loadInstrument(this.context, l.instrument)),
    )
    if (this.playing) await this.click.load(program.ticks)
    if (this.program !== program) return this.preparing
    for (const track of this.tracks) track.out.disconnect()
    this.tracks = program.lines.map((line, i) => {
      const out = this.context.createGain()
      out.gain.value = 10 ** (line.levelDb / 20)
      const pan = this.context.createStereoPanner()
      pan.pan.value = line.pan
      out.connect(pan).connect(this.notesBus)
      return { line, instrument: instruments[i], out }
    })
  }

  private recording(): Recording | null {
    const url = this.program.recordingUrl
    if (!url) return null
    let found = this.recordings.get(url)
    if (!found) this.recordings.set(url, (found = new Recording(this.context, url)))
    return found
  }

  /** Plays from a moment to another, again and again if looped. */
  async play(from: number, to: number, looped: boolean): Promise<void> {
    this.stop()
    const run = ++this.run
    await this.context.resume()
    await this.click.load(this.program.ticks)
    await this.recording()
      ?.piece(Math.max(0, Math.floor(from / PIECE_S)), this.pace)
      .catch(() => undefined)
    if (run !== this.run) return
    // From a whole frame of its piece on, so that pieces meet at frames.
    from = this.pace * this.wholeFrames(from / this.pace)
    this.loop = looped ? [from, to] : null
    this.cursor = from
    this.end = to
    this.cursorAt = this.context.currentTime + START_DELAY_S
    this.stretches = [{ at: this.cursorAt, from, to }]
    this.playing = true
    this.scheduleHeld(from)
    this.tick()
    this.timer = window.setInterval(() => this.tick(), TICK_MS)
  }

  stop(): void {
    this.run++
    window.clearInterval(this.timer)
    this.cursor = this.stretches.length ? this.position() : this.cursor
    this.voices.letGo()
    this.stretches = []
    if (this.playing) {
      this.playing = false
      this.onStop()
    }
  }

  private tick(): void {
    const until = this.context.currentTime + AHEAD_S
    while (this.playing && this.cursorAt < until) {
      const next = Math.min(this.end, this.cursor + 0.25 * this.pace)
      this.schedule(this.cursor, next)
      this.cursorAt += (next - this.cursor) / this.pace
      this.cursor = next
      if (next < this.end) continue
      if (!this.loop) break
      this.cursor = this.loop[0]
      this.stretches.push({ at: this.cursorAt, from: this.loop[0], to: this.loop[1] })
      if (this.stretches.length > 8) this.stretches.shift()
      this.scheduleHeld(this.cursor)
    }
    if (this.cursor >= this.end && !this.loop && this.context.currentTime >= this.cursorAt + 0.05) this.stop()
  }

  private at(moment: number): number {
    return this.cursorAt + (moment - this.cursor) / this.pace
  }

  private schedule(from: number, to: number): void {
    for (const track of this.tracks) {
      const notes = track.line.notes
      for (let i = firstAtOrAfter(notes, from); i < notes.length && notes[i].onset_s < to; i++) {
        this.note(track, notes[i], this.at(notes[i].onset_s))
      }
    }
    this.scheduleClick(from, to)
    this.scheduleRecording(from, to)
  }

  /** Notes that already sound where playing begins. */
  private scheduleHeld(from: number): void {
    for (const track of this.tracks) {
      for (const note of track.line.notes) {
        if (note.onset_s >= from) break
        if (note.offset_s <= from + 0.03) continue
        const bends = note.bends.filter(([moment]) => moment > from)
        const before = note.bends.filter(([moment]) => moment <= from).at(-1)
        if (before) bends.unshift([from, before[1]])
        this.note(track, { ...note, onset_s: from, bends }, this.at(from))
      }
    }
  }

  private note(track: Track, note: Sounding, at: number): void {
    const out = this.voices.through(track.out)
    this.voices.keep(startNote(this.context, out, track.instrument, note, at, this.pace))
    const detail = { part: track.line.id, ...note, at }
    window.dispatchEvent(new CustomEvent('stave:scheduled', { detail }))
  }

  private scheduleClick(from: number, to: number): void {
    if (this.clickBus.gain.value < 0.001) return
    const { grid, ticks } = this.program
    for (const { instrument, name, note } of this.click.strokes(from, to, grid, ticks)) {
      const out = this.voices.through(this.clickBus)
      this.voices.keep(startNote(this.context, out, instrument, note, this.at(note.onset_s)))
      const detail = { time_s: note.onset_s, pitch: note.pitch, name }
      window.dispatchEvent(new CustomEvent('stave:clicked', { detail }))
    }
  }

  private scheduleRecording(from: number, to: number): void {
    const recording = this.recording()
    if (!recording) return
    const last = Math.min(to, this.program.duration)
    // What leads up to the beginning rises before it: an attack there stays as it is. From the very beginning on there
    // is nothing before: such a loop goes round as it was cut.
    const lead = this.pace * this.wholeFrames(EDGE_S)
    if (from === this.stretches.at(-1)?.from && from >= lead)
      this.recorded(recording, from - lead, from, { rises: true, falls: false })
    const falls = to >= this.end && (!this.loop || this.loop[0] >= lead)
    this.recorded(recording, Math.max(from, 0), last, { rises: false, falls })
    // The next piece is fetched before it is needed.
    const ahead = Math.floor(to / PIECE_S) + 1
    if (ahead * PIECE_S < this.program.duration) void recording.piece(ahead, this.pace).catch(() => undefined)
  }

  private recorded(recording: Recording, from: number, to: number, edges: Edges): void {
    let place = from
    while (place < to - 1e-9) {
      const index = Math.floor(place / PIECE_S + 1e-9)
      const stop = Math.min(to, (index + 1) * PIECE_S)
      const own = { rises: edges.rises && place === from, falls: edges.falls && stop === to }
      this.recordedPiece(recording, index, place, stop, this.at(place), own)
      place = stop
    }
  }

  private recordedPiece(
    recording: Recording,
    index: number,
    from: number,
    to: number,
    at: number,
    edges: Edges,
  ): void {
    const run = this.run
    const pace = this.pace
    void recording
      .piece(index, pace)
      .then((buffer) => {
        if (run !== this.run) return
        const late = Math.max(0, this.context.currentTime - at)
        const length = (to - from) / pace - late
        if (length <= 0) return
        const offset = (from - index * PIECE_S) / pace + late
        const soft = { ...edges, rises: edges.rises || late > 0 }
        this.playBuffer(buffer, offset, length, at + late, soft)
      })
      .catch(() => undefined)
  }

  private playBuffer(buffer: AudioBuffer, offset: number, length: number, at: number, edges: Edges): void {
    const source = this.context.createBufferSource()
    source.buffer = buffer
    const out = this.voices.through(this.recordingBus)
    if (edges.rises || edges.falls) {
      const soft = this.context.createGain()
      const rise = Math.min(EDGE_S, length / 2)
      soft.gain.setValueAtTime(edges.rises ? 0 : 1, at)
      soft.gain.linearRampToValueAtTime(1, at + rise)
      soft.gain.setValueAtTime(1, at + length - rise)
      soft.gain.linearRampToValueAtTime(edges.falls ? 0 : 1, at + length)
      source.connect(soft).connect(out)
    } else {
      source.connect(out)
    }
    source.start(at, Math.max(0, offset), length)
    this.voices.keep(source)
  }

  /** So long, in whole frames and not longer: stretches that follow each other meet at a frame. */
  private wholeFrames(seconds: number): number {
    const { sampleRate } = this.context
    return Math.floor(seconds * sampleRate + 1e-6) / sampleRate
  }

  /** Sounds one note at once, alone or over its recording, whatever the balance. */
  async audition(note: Sounding | null, line: Pick<Line, 'instrument'>, recorded: [number, number] | null) {
    this.stop()
    const run = ++this.run
    await this.context.resume()
    const instrument = note ? await loadInstrument(this.context, line.instrument) : null
    const recording = recorded ? this.recording() : null
    const buffers: [AudioBuffer, number][] = []
    if (recording && recorded) {
      for (let i = Math.floor(recorded[0] / PIECE_S); i * PIECE_S < recorded[1]; i++) {
        buffers.push([await recording.piece(i, 1), i * PIECE_S])
      }
    }
    if (run !== this.run) return
    const at = this.context.currentTime + 0.01
    const out = this.voices.through(this.master)
    if (note && instrument) this.voices.keep(startNote(this.context, out, instrument, note, at))
    const [first, last] = recorded ?? [0, 0]
    for (const [buffer, starts] of buffers) {
      const from = Math.max(first, starts)
      const length = Math.min(last, starts + PIECE_S) - from
      const edges = { rises: from === first, falls: from + length >= last }
      this.playBuffer(buffer, from - starts, length, at + from - first, edges)
    }
    window.dispatchEvent(new CustomEvent('stave:auditioned', { detail: { note, recorded, at } }))
  }

  /** Sounds what an address gives, both channels one after the other, at once. */
  async hear(address: string): Promise<void> {
    this.stop()
    const run = ++this.run
    await this.context.resume()
    const { sampleRate } = this.context
    const data = new Float32Array((await bytes(`${address}?rate=${Math.round(sampleRate)}`)).data)
    const frames = data.length / 2
    if (run !== this.run || frames < 1) return
    const buffer = this.context.createBuffer(2, frames, sampleRate)
    buffer.copyToChannel(data.slice(0, frames), 0)
    buffer.copyToChannel(data.slice(frames), 1)
    const source = this.context.createBufferSource()
    source.buffer = buffer
    source.connect(this.voices.through(this.master))
    const at = this.context.currentTime + 0.005
    source.start(at)
    this.voices.keep(source)
    window.dispatchEvent(new CustomEvent('stave:auditioned', { detail: { slice: true, frames, at } }))
  }

  /** A grain of the recording at a moment, for scrubbing. */
  async scrub(moment: number): Promise<void> {
    const recording = this.recording()
    if (!recording || moment < 0 || moment > this.program.duration) return
    await this.context.resume()
    const index = Math.floor(moment / PIECE_S)
    const buffer = await recording.piece(index, 1)
    const edges = { rises: true, falls: true }
    this.playBuffer(buffer, moment - index * PIECE_S, GRAIN_S, this.context.currentTime, edges)
  }
}

function firstAtOrAfter(notes: Sounding[], time: number): number {
  let low = 0
  let high = notes.length
  while (low < high) {
    const middle = (low + high) >> 1
    if (notes[middle].onset_s < time) low = middle + 1
    else high = middle
  }
  return low
}
