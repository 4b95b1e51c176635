/** Beats as stems, the tempo as a curve with its doubt, the drift strip. */
import type { BeatMapView } from '../folio/beats'
import { firstFrom } from './search'
import type { TimeAxis } from './geometry'
import { FIGURES, SMALL_FIGURES, type Colours } from './surface'

const STEM_APART = 4
const RING_PX = 4.5
const TICK_PX = 9
const LEAST_DRIFT_MS = 20
const FAR_OFF = 1.8
/** The name of a lane stands above this. */
const NAME_PX = 26
const SLANT_PX = 9

/** First beat in view and one past the last, one more to either side. */
export function beatsInView(axis: TimeAxis, times: number[]): [number, number] {
  return [Math.max(0, firstFrom(times, axis.from) - 1), Math.min(times.length, firstFrom(times, axis.to) + 1)]
}

function clip(pen: CanvasRenderingContext2D, axis: TimeAxis, height: number): void {
  pen.beginPath()
  pen.rect(0, 0, axis.width, height)
  pen.clip()
}

export function drawStems(
  pen: CanvasRenderingContext2D,
  axis: TimeAxis,
  height: number,
  map: BeatMapView,
  selection: Set<number>,
  c: Colours,
): void {
  const [first, last] = beatsInView(axis, map.time_s)
  const apart = last > first + 1 ? axis.width / (last - first) : axis.width
  const weak = new Set(map.weakest)
  for (let i = first; i < last; i++) {
    const begins = map.beat[i] === 1
    if (!begins && apart < STEM_APART && !selection.has(i)) continue
    const x = Math.round(axis.x(map.time_s[i])) + 0.5
    pen.strokeStyle = selection.has(i) ? c.madder : c.ink
    pen.lineWidth = begins ? 2 : 1
    pen.globalAlpha = begins ? 1 : 0.75
    pen.setLineDash(weak.has(i) ? [3, 4] : [])
    pen.beginPath()
    pen.moveTo(x, begins ? 0 : height * 0.12)
    pen.lineTo(x, begins ? height : height * 0.88)
    pen.stroke()
  }
  pen.setLineDash([])
  pen.globalAlpha = 1
  pen.font = SMALL_FIGURES
  pen.textAlign = 'left'
  pen.textBaseline = 'top'
  pen.fillStyle = c.soft
  for (const marker of map.markers) {
    if (marker.time_s < axis.from || marker.time_s > axis.to) continue
    const x = axis.x(marker.time_s)
    pen.fillRect(x, 0, 1, height)
    pen.fillText(marker.name, x + 4, height - 14)
  }
}

/** Lowest and highest tempo to show: what is in view, rounded outwards to tens. */
export function tempoRange(map: BeatMapView, first: number, last: number): [number, number] {
  const held = new Set(map.holds.map((h) => h.beat))
  const seen = map.felt_bpm.slice(first, last).filter((_, k) => !held.has(first + k))
  if (!seen.length) return [60, 120]
  // A single beat far off must not flatten the rest.
  const middle = [...seen].sort((a, b) => a - b)[seen.length >> 1]
  const low = Math.max(Math.min(...seen), middle / FAR_OFF)
  const high = Math.min(Math.max(...seen), middle * FAR_OFF)
  const from = Math.floor(low / 10 - 0.3) * 10
  return [Math.max(0, from), Math.max(Math.ceil(high / 10 + 0.3) * 10, from + 20)]
}

export function drawTempo(
  pen: CanvasRenderingContext2D,
  axis: TimeAxis,
  height: number,
  map: BeatMapView,
  selection: Set<number>,
  c: Colours,
): void {
  const [first, last] = beatsInView(axis, map.time_s)
  const [low, high] = tempoRange(map, first, last)
  const y = (bpm: number) => height - 8 - ((bpm - low) / (high - low)) * (height - 24)
  const step = high - low > 120 ? 50 : high - low > 50 ? 20 : 10
  pen.font = SMALL_FIGURES
  pen.textBaseline = 'middle'
  pen.lineWidth = 1
  for (let bpm = Math.ceil(low / step) * step; bpm <= high; bpm += step) {
    pen.strokeStyle = c.hairline
    pen.beginPath()
    pen.moveTo(0, y(bpm))
    pen.lineTo(axis.width, y(bpm))
    pen.stroke()
    pen.fillStyle = c.soft
    pen.textAlign = 'right'
    if (y(bpm) > NAME_PX) pen.fillText(String(bpm), -8, y(bpm))
  }
  clip(pen, axis, height)
  const middle = (i: number) => axis.x((map.time_s[i] + map.time_s[i + 1]) / 2)
  const held = new Set(map.holds.map((h) => h.beat))
  const places = []
  for (let i = first; i < Math.min(last, map.felt_bpm.length); i++) if (!held.has(i)) places.push(i)
  pen.fillStyle = c.faint
  pen.globalAlpha = 0.45
  pen.beginPath()
  for (const i of places) pen.lineTo(middle(i), y(map.felt_bpm[i] + map.doubt_bpm[i]))
  for (const i of [...places].reverse()) pen.lineTo(middle(i), y(map.felt_bpm[i] - map.doubt_bpm[i]))
  pen.fill()
  pen.globalAlpha = 1
  drawImplausible(pen, axis, height, map, c)
  pen.strokeStyle = c.ink
  pen.lineWidth = 1.6
  pen.beginPath()
  for (const i of places) pen.lineTo(middle(i), y(map.felt_bpm[i]))
  pen.stroke()
  for (const hold of map.holds) {
    if (hold.beat < first || hold.beat >= last) continue
    const from = axis.x(map.time_s[hold.beat])
    const to = axis.x(map.time_s[hold.beat + 1])
    pen.strokeStyle = c.plum
    pen.beginPath()
    pen.arc((from + to) / 2, 22, Math.min(9, (to - from) / 2), Math.PI, 0)
    pen.stroke()
    pen.fillStyle = c.plum
    pen.textAlign = 'center'
    pen.fillText(`${hold.real_s.toFixed(2)} s`, (from + to) / 2, 32)
  }
  pen.textAlign = 'left'
  let labelled = -Infinity
  for (let i = first; i < last; i++) {
    if (!map.pinned[i]) continue
    const x = Math.round(axis.x(map.time_s[i])) + 0.5
    // Halfway between the tempos on both sides: where the curve passes.
    const after = map.felt_bpm[Math.min(i, map.felt_bpm.length - 1)]
    const at = (map.felt_bpm[Math.max(i - 1, 0)] + after) / 2
    pen.strokeStyle = selection.has(i) ? c.madder : c.ink
    pen.lineWidth = 1.4
    pen.beginPath()
    pen.moveTo(x, 0)
    pen.lineTo(x, height)
    pen.stroke()
    pen.fillStyle = c.paper
    pen.beginPath()
    pen.arc(x, y(Math.min(high, Math.max(low, at))), RING_PX, 0, 2 * Math.PI)
    pen.fill()
    pen.stroke()
    const label = map.beat[i] === 1 ? `pin: bar ${map.bar[i]}` : 'pin'
    if (x + 6 < labelled) continue
    pen.fillStyle = selection.has(i) ? c.madder : c.text
    pen.fillText(label, x + 6, 9)
    labelled = x + 12 + pen.measureText(label).width
  }
}

/** Slanted strokes over what can hardly be meant. */
function drawImplausible(
  pen: CanvasRenderingContext2D,
  axis: TimeAxis,
  height: number,
  map: BeatMapView,
  c: Colours,
): void {
  pen.strokeStyle = c.madder
  pen.lineWidth = 1
  for (const [first, last] of map.implausible) {
    const from = Math.max(0, axis.x(map.time_s[first]))
    const to = Math.min(axis.width, axis.x(map.time_s[last]))
    pen.beginPath()
    for (let x = from; x < to; x += SLANT_PX) {
      pen.moveTo(x, height)
      pen.lineTo(Math.min(x + SLANT_PX, to), height - SLANT_PX)
    }
    pen.stroke()
  }
}

/** Half the height of the strip in ms: the largest drift in view, a little more. */
export function driftRange(map: BeatMapView, first: number, last: number): number {
  let most = LEAST_DRIFT_MS
  for (let i = first; i < last; i++) most = Math.max(most, Math.abs(map.drift_ms[i] ?? 0))
  return Math.ceil((most * 1.15) / 10) * 10
}

export function drawDrift(
  pen: CanvasRenderingContext2D,
  axis: TimeAxis,
  height: number,
  map: BeatMapView,
  selection: Set<number>,
  c: Colours,
): void {
  const [first, last] = beatsInView(axis, map.time_s)
  const most = driftRange(map, first, last)
  const y = (ms: number) => height / 2 - (ms / most) * (height / 2 - 12)
  const line = most > 25 ? Math.round(most / 20) * 10 : 20
  pen.font = SMALL_FIGURES
  pen.textAlign = 'right'
  pen.textBaseline = 'middle'
  for (const ms of [line, 0, -line]) {
    pen.strokeStyle = ms ? c.hairline : c.stave
    pen.lineWidth = 1
    pen.beginPath()
    pen.moveTo(0, y(ms))
    pen.lineTo(axis.width, y(ms))
    pen.stroke()
    pen.fillStyle = c.soft
    if (ms) pen.fillText(`${ms > 0 ? '+' : '−'}${Math.abs(ms)} ms`, -8, y(ms))
  }
  pen.textAlign = 'right'
  pen.fillText('attacks later than the map', axis.width - 8, 9)
  pen.fillText('earlier', axis.width - 8, height - 9)
  clip(pen, axis, height)
  pen.strokeStyle = c.faint
  pen.lineWidth = 0.8
  pen.beginPath()
  let drawing = false
  for (let i = first; i < last; i++) {
    const drift = map.drift_ms[i]
    if (drift == null) {
      drawing = false
      continue
    }
    if (drawing) pen.lineTo(axis.x(map.time_s[i]), y(drift))
    else pen.moveTo(axis.x(map.time_s[i]), y(drift))
    drawing = true
  }
  pen.stroke()
  const apart = last > first + 1 ? axis.width / (last - first) : TICK_PX * 2
  const weak = new Set(map.weakest)
  const reach = Math.max(1.5, Math.min(TICK_PX, apart * 0.45)) / 2
  for (let i = first; i < last; i++) {
    const drift = map.drift_ms[i]
    if (drift == null) continue
    const x = axis.x(map.time_s[i])
    pen.strokeStyle = selection.has(i) ? c.madder : c.ink
    pen.lineWidth = map.beat[i] === 1 ? 2.6 : 1.5
    pen.setLineDash(weak.has(i) ? [2, 2.5] : [])
    pen.beginPath()
    pen.moveTo(x - reach, y(drift) + reach * 0.7)
    pen.lineTo(x + reach, y(drift) - reach * 0.7)
    pen.stroke()
  }
  pen.setLineDash([])
}

export function drawLaneName(pen: CanvasRenderingContext2D, name: string, c: Colours): void {
  pen.font = FIGURES
  pen.fillStyle = c.text
  pen.textAlign = 'left'
  pen.textBaseline = 'top'
  pen.fillText(name, 10, 8)
}
