import { describe, expect, it } from 'vitest'
import type { KitView, SliceBody } from '../folio/kits'
import { LANES, laneOf } from '../folio/hitLanes'
import { drawHitLanes, drawLaneNames, drawStripMarks, drawStrips, slicesInView } from './drawSlices'
import { TimeAxis } from './geometry'
import type { Colours } from './surface'

const colours = new Proxy({}, { get: (_, name) => String(name) }) as unknown as Colours

function slice(i: number, extra: Partial<SliceBody> = {}): SliceBody {
  const strike = {
    drum: 'kick', kind: 'kick', velocity: 100, confidence: 0.9, ghost: false, runner_up: '', runner_up_share: 0,
  } // prettier-ignore
  const settings = { gain_db: 0, fade_s: 0, reversed: false, muted: false, end: 'next' }
  return {
    id: `r${i}`, first_s: i * 0.25, last_s: (i + 1) * 0.25, read_s: i * 0.25, within_ms: 0.5, level_db: -10, strikes: [strike],
    by_hand: false, key: 36 + i, off_grid_ms: 0, settings, ...extra,
  } as unknown as SliceBody // prettier-ignore
}
const view = (slices: SliceBody[]) => ({ slices, sure: 0.75 }) as unknown as KitView

/** A pen that keeps what it fills, strokes and writes, with the colours in force. */
function recordingPen() {
  const seen = { fills: [] as string[], strokes: [] as string[], texts: [] as string[], lines: 0 }
  const state: Record<string, unknown> = {}
  const pen = new Proxy(state, {
    get: (_, name) => {
      if (name === 'fill') return () => seen.fills.push(String(state.fillStyle))
      if (name === 'stroke') return () => seen.strokes.push(String(state.strokeStyle))
      if (name === 'fillText') return (text: string) => seen.texts.push(text)
      if (name === 'lineTo') return () => seen.lines++
      return name in state ? state[name as string] : () => undefined
    },
    set: (_, name, value) => {
      state[name as string] = value
      return true
    },
  }) as unknown as CanvasRenderingContext2D
  return { pen, seen }
}

describe('strips of a loop', () => {
  const many = Array.from({ length: 2000 }, (_, i) => slice(i))
  it('finds the slices in view among thousands', () => {
    expect(slicesInView(many, new TimeAxis(10, 11, 400))).toEqual([39, 45])
    expect(slicesInView(many, new TimeAxis(-3, -1, 400))).toEqual([0, 0])
    expect(slicesInView([], new TimeAxis(0, 1, 400))).toEqual([0, 0])
  })
  it('draws only what is in view', () => {
    const { pen, seen } = recordingPen()
    drawStrips(pen, new TimeAxis(10, 11, 400), 200, view(many), colours)
    expect(seen.fills).toHaveLength(6)
  })
  it('tears the edge of a cut by hand', () => {
    const straight = recordingPen()
    drawStrips(straight.pen, new TimeAxis(0, 1, 400), 200, view([slice(0)]), colours)
    const torn = recordingPen()
    drawStrips(torn.pen, new TimeAxis(0, 1, 400), 200, view([slice(0, { by_hand: true })]), colours)
    expect(torn.seen.lines).toBeGreaterThan(straight.seen.lines + 20)
  })
  it('marks selection in madder and writes under strips that have room', () => {
    const { pen, seen } = recordingPen()
    const label = (piece: SliceBody) => piece.id
    const wide = new TimeAxis(0, 1, 400)
    drawStripMarks(pen, wide, 200, view([slice(0), slice(1)]), new Set(['r1']), label, colours)
    expect(seen.texts).toEqual(['r0', 'r1'])
    expect(seen.strokes.filter((c) => c === 'madder')).toHaveLength(1)
    const narrow = recordingPen()
    drawStripMarks(narrow.pen, new TimeAxis(0, 100, 400), 200, view([slice(0)]), new Set(), label, colours)
    expect(narrow.seen.texts).toEqual([])
    const close = recordingPen()
    const crowd = [0, 1, 2].map((i) => slice(i))
    drawStripMarks(close.pen, new TimeAxis(0, 6, 400), 200, view(crowd), new Set(), () => '10', colours)
    expect(close.seen.texts).toHaveLength(2)
  })
  it('shows what plays backwards and what is mute without colour alone', () => {
    const done = (values: object) => slice(0, { settings: { ...slice(0).settings, ...values } })
    for (const values of [{ reversed: true }, { muted: true }]) {
      const { pen, seen } = recordingPen()
      drawStripMarks(pen, new TimeAxis(0, 1, 400), 200, view([done(values)]), new Set(), () => '', colours)
      expect(seen.strokes.length).toBeGreaterThan(0)
    }
  })
})

describe('hits by lane', () => {
  const strike = slice(0).strikes[0]
  it('puts ghosts on a line of their own and what is unknown with the others', () => {
    expect(laneOf({ ...strike, drum: 'snare', ghost: true })).toBe('ghost')
    expect(laneOf({ ...strike, drum: 'gong' })).toBe('other')
    expect(LANES).toContain(laneOf(strike))
  })
  it('draws doubtful hits in outline, selected ones in madder', () => {
    const doubtful = slice(0, { strikes: [{ ...strike, confidence: 0.6 }] })
    const { pen, seen } = recordingPen()
    drawHitLanes(pen, new TimeAxis(0, 1, 400), view([doubtful, slice(1)]), new Set(['r1']), '', colours)
    expect(seen.strokes).toEqual(['ink'])
    expect(seen.fills).toEqual(['ink', 'madder'])
  })
  it('says of a lane that may be another drum how sure it is', () => {
    const { pen, seen } = recordingPen()
    drawLaneNames(pen, 96, 400, {}, new Map([['hat', 0.574]]), colours)
    expect(seen.texts).toEqual(['kick', 'snare', 'ghost', 'hat', 'sure 0.57', 'tom', 'cymbal', 'other'])
  })
  it('of a lane selected as a whole marks that drum alone', () => {
    const hat = { ...slice(0).strikes[0], drum: 'hat', kind: 'closed hat' }
    const both = slice(0, { strikes: [...slice(0).strikes, hat] })
    const { pen, seen } = recordingPen()
    drawHitLanes(pen, new TimeAxis(0, 1, 400), view([both]), new Set(['r0']), 'hat', colours)
    expect(seen.fills).toEqual(['ink', 'madder'])
  })
  it('says how far a hit lies from the sixteenth only where it matters and has room', () => {
    const late = slice(0, { off_grid_ms: 18 })
    const { pen, seen } = recordingPen()
    drawHitLanes(
      pen,
      new TimeAxis(0, 1, 400),
      view([late, slice(1, { off_grid_ms: -4 })]),
      new Set(),
      '',
      colours,
    )
    expect(seen.texts).toEqual(['+18'])
    const crowded = recordingPen()
    drawHitLanes(crowded.pen, new TimeAxis(0, 9, 200), view([late, slice(1)]), new Set(), '', colours)
    expect(crowded.seen.texts).toEqual([])
  })
})
