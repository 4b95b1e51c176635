/** The click: which of its strokes begin in a stretch, from a beat map or from the grid, and their instruments. */
import { firstFrom } from '../lanes/search'
import { loadInstrument, type Instrument, type Sounding } from './instruments'

const LENGTH_S = 0.05
/** The instrument of a click that no map gives another; its pitches and velocities on a plain grid. */
const PLAIN = 'click'
const ACCENT = { pitch: 96, velocity: 127 }
const BEAT = { pitch: 89, velocity: 92 }
const BETWEEN = { pitch: 84, velocity: 60 }

export interface Grid {
  time_s: number[]
  bar: number[]
  beat: number[]
}
/** The click of a beat map: its moments, instruments, pitches, and velocities as they are written too. */
export interface Ticks {
  time_s: number[]
  instrument: string[]
  pitch: number[]
  velocity: number[]
}
export interface Stroke {
  instrument: Instrument
  name: string
  note: Sounding
}

export class Click {
  private readonly instruments = new Map<string, Instrument>()
  subdivide = 1

  constructor(private readonly context: BaseAudioContext) {}

  /** Loads what the click of a map needs, and the plain one. */
  async load(ticks?: Ticks | null): Promise<void> {
    for (const name of new Set([PLAIN, ...(ticks?.instrument ?? [])]))
      if (!this.instruments.has(name)) this.instruments.set(name, await loadInstrument(this.context, name))
  }

  /** The strokes that begin from one moment on, before another: of the map where there is one, else of the grid. */
  *strokes(from: number, to: number, grid: Grid | null, ticks?: Ticks | null): Generator<Stroke> {
    if (ticks) {
      for (let i = firstFrom(ticks.time_s, from); i < ticks.time_s.length && ticks.time_s[i] < to; i++) {
        const { pitch, velocity } = ticks
        yield* this.stroke(ticks.time_s[i], pitch[i], velocity[i], ticks.instrument[i])
      }
      return
    }
    if (!grid) return
    // From the beat before the stretch on: its subdivisions may fall inside.
    for (let i = Math.max(0, firstFrom(grid.time_s, from) - 1); i < grid.time_s.length; i++) {
      const start = grid.time_s[i]
      const next = grid.time_s[i + 1] ?? start + (start - (grid.time_s[i - 1] ?? start - 0.5))
      if (next < from) continue
      if (start >= to) break
      for (let part = 0; part < this.subdivide; part++) {
        const moment = start + ((next - start) * part) / this.subdivide
        if (moment < from || moment >= to) continue
        const { pitch, velocity } = part > 0 ? BETWEEN : grid.beat[i] === 1 ? ACCENT : BEAT
        yield* this.stroke(moment, pitch, velocity, PLAIN)
      }
    }
  }

  private *stroke(moment: number, pitch: number, velocity: number, name: string): Generator<Stroke> {
    const instrument = this.instruments.get(name)
    const note = { onset_s: moment, offset_s: moment + LENGTH_S, pitch, velocity, bends: [] }
    if (instrument) yield { instrument, name, note }
  }
}
