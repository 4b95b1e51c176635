/** Beats and onsets between them as stems, the drift strip. */
import type { BeatMapView } from '../folio/mapPlaces'
import { firstFrom } from './search'
import type { TimeAxis } from './geometry'
import { FIGURES, SMALL_FIGURES, type Colours } from './surface'

const STEM_APART = 4
/** How far down stems between beats begin, of the height. */
const BETWEEN_TOP = 0.34
const TICK_PX = 9
const LEAST_DRIFT_MS = 20

/** First beat in view and one past the last, one more to either side. */
export function beatsInView(axis: TimeAxis, times: number[]): [number, number] {
  return [Math.max(0, firstFrom(times, axis.from) - 1), Math.min(times.length, firstFrom(times, axis.to) + 1)]
}

/** Numbers of what is in doubt, of beats or of onsets between them. */
const weakOf = (map: BeatMapView, kind: 'beat' | 'between') => new Set(map.walk.map((each) => each[kind]))

export function clip(pen: CanvasRenderingContext2D, axis: TimeAxis, height: number): void {
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
  between = -1,
): void {
  const [first, last] = beatsInView(axis, map.time_s)
  const apart = last > first + 1 ? axis.width / (last - first) : axis.width
  const weak = weakOf(map, 'beat')
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
  if (apart >= STEM_APART) drawBetween(pen, axis, height, map, between, c)
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

/** Onsets between beats: short stems, whole where they are pinned or sure. */
function drawBetween(
  pen: CanvasRenderingContext2D,
  axis: TimeAxis,
  height: number,
  map: BeatMapView,
  selected: number,
  c: Colours,
): void {
  const [first, last] = beatsInView(axis, map.between.time_s)
  const weak = weakOf(map, 'between')
  pen.lineWidth = 1
  pen.globalAlpha = 0.75
  for (let i = first; i < last; i++) {
    const x = Math.round(axis.x(map.between.time_s[i])) + 0.5
    pen.strokeStyle = i === selected ? c.madder : c.ink
    pen.setLineDash(weak.has(i) ? [3, 4] : [])
    pen.beginPath()
    pen.moveTo(x, height * BETWEEN_TOP)
    pen.lineTo(x, height * (1 - BETWEEN_TOP))
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
  const weak = weakOf(map, 'beat')
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
