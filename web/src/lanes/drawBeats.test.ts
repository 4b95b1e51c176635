import { describe, expect, it } from 'vitest'
import type { BeatMapView } from '../folio/mapPlaces'
import { beatsInView, drawDrift, drawStems, driftRange } from './drawBeats'
import { tempoRange } from './drawTempo'
import { TimeAxis } from './geometry'
import type { Colours } from './surface'

const colours = new Proxy({}, { get: (_, name) => String(name) }) as unknown as Colours

/** A steady map at 120 of so many beats, four to the bar. */
function map(count: number, extra: Partial<BeatMapView> = {}): BeatMapView {
  const beats = Array.from({ length: count }, (_, i) => i)
  return {
    time_s: beats.map((i) => i * 0.5), drift_ms: beats.map(() => 0), confidence: beats.map(() => 0.95),
    pinned: beats.map(() => false), beat: beats.map((i) => (i % 4) + 1), felt_bpm: beats.slice(1).map(() => 120),
    doubt_bpm: beats.slice(1).map(() => 1), holds: [], markers: [], between: { time_s: [], pinned: [] }, walk: [], implausible: [], held: [], said: [], ...extra,
  } as unknown as BeatMapView // prettier-ignore
}
function recordingPen() {
  const seen = { strokes: [] as string[], dashes: [] as number[] }
  const state: Record<string, unknown> = {}
  const pen = new Proxy(state, {
    get: (_, name) => {
      if (name === 'stroke') return () => seen.strokes.push(String(state.strokeStyle))
      if (name === 'setLineDash') return (dash: number[]) => seen.dashes.push(dash.length)
      return name in state ? state[name as string] : () => undefined
    },
    set: (_, name, value) => {
      state[name as string] = value
      return true
    },
  }) as unknown as CanvasRenderingContext2D
  return { pen, seen }
}

describe('beats on their lanes', () => {
  it('finds the beats in view among thousands, one more to either side', () => {
    const { time_s } = map(8000)
    expect(beatsInView(new TimeAxis(100, 102, 400), time_s)).toEqual([199, 205])
    expect(beatsInView(new TimeAxis(-9, -8, 400), time_s)).toEqual([0, 1])
  })
  it('draws only downbeats where beats would stand too close, and the selected one in madder', () => {
    const { pen, seen } = recordingPen()
    drawStems(pen, new TimeAxis(0, 200, 400), 100, map(400), new Set([6]), colours)
    expect(seen.strokes.filter((c) => c === 'ink')).toHaveLength(100)
    expect(seen.strokes.filter((c) => c === 'madder')).toHaveLength(1)
  })
  it('breaks the stem of a weak beat, not that of a pin', () => {
    const weak = map(4, { walk: [{ beat: 1, between: null }], pinned: [false, false, true, false] })
    const { pen, seen } = recordingPen()
    drawStems(pen, new TimeAxis(0, 2, 400), 100, weak, new Set(), colours)
    expect(seen.dashes.slice(0, 4)).toEqual([0, 2, 0, 0])
  })
  it('shows the tempo without one beat far off flattening it', () => {
    const [low, high] = tempoRange([100, 104, 102, 900, 98])
    expect(low).toBeGreaterThanOrEqual(90)
    expect(high).toBeLessThanOrEqual(200)
  })
  it('draws an onset between beats as a stem of its own, broken where it is in doubt', () => {
    const between = { time_s: [0.25, 0.75], pinned: [false, true] } as BeatMapView['between']
    const doubtful = map(4, { between, walk: [{ beat: null, between: 0 }] })
    const { pen, seen } = recordingPen()
    drawStems(pen, new TimeAxis(0, 2, 400), 100, doubtful, new Set(), colours, 1)
    expect(seen.dashes).toEqual([0, 0, 0, 0, 2, 0, 0])
    expect(seen.strokes).toEqual(['ink', 'ink', 'ink', 'ink', 'ink', 'madder'])
  })
  it('opens the drift strip as far as the attacks lie off, and skips beats without one', () => {
    const drift_ms = [0, 35, null, -12]
    expect(driftRange(map(4), 0, 4)).toBeGreaterThanOrEqual(20)
    expect(driftRange(map(4, { drift_ms }), 0, 4)).toBeGreaterThan(35)
    const { pen, seen } = recordingPen()
    drawDrift(pen, new TimeAxis(0, 2, 400), 100, map(4, { drift_ms }), new Set(), colours)
    expect(seen.strokes.filter((c) => c === 'ink')).toHaveLength(3)
  })
})
