/** The tempo as a curve with its doubt, pins, holds, and what can hardly be meant. */
import type { BeatMapView } from '../folio/mapPlaces'
import { beatsInView, clip } from './drawBeats'
import type { TimeAxis } from './geometry'
import { firstFrom } from './search'
import { SMALL_FIGURES, type Colours } from './surface'

const RING_PX = 4.5
const FAR_OFF = 1.8
/** The name of a lane stands above this. */
const NAME_PX = 26
const SLANT_PX = 9

/** Lowest and highest tempo to show, rounded outwards to tens. */
export function tempoRange(seen: number[]): [number, number] {
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
  between = -1,
): void {
  const { middle_s, bpm, doubt_bpm } = map.curve
  const [first, last] = beatsInView(axis, map.time_s)
  const [from, to] = beatsInView(axis, middle_s)
  const [low, high] = tempoRange(bpm.slice(from, to))
  const y = (tempo: number) => height - 8 - ((tempo - low) / (high - low)) * (height - 24)
  const step = high - low > 120 ? 50 : high - low > 50 ? 20 : 10
  pen.font = SMALL_FIGURES
  pen.textBaseline = 'middle'
  pen.lineWidth = 1
  for (let line = Math.ceil(low / step) * step; line <= high; line += step) {
    pen.strokeStyle = c.hairline
    pen.beginPath()
    pen.moveTo(0, y(line))
    pen.lineTo(axis.width, y(line))
    pen.stroke()
    pen.fillStyle = c.soft
    pen.textAlign = 'right'
    if (y(line) > NAME_PX) pen.fillText(String(line), -8, y(line))
  }
  clip(pen, axis, height)
  const x = (i: number) => axis.x(middle_s[i])
  pen.fillStyle = c.faint
  pen.globalAlpha = 0.45
  pen.beginPath()
  for (let i = from; i < to; i++) pen.lineTo(x(i), y(bpm[i] + doubt_bpm[i]))
  for (let i = to - 1; i >= from; i--) pen.lineTo(x(i), y(bpm[i] - doubt_bpm[i]))
  pen.fill()
  pen.globalAlpha = 1
  drawImplausible(pen, axis, height, map, c)
  pen.strokeStyle = c.ink
  pen.lineWidth = 1.6
  pen.beginPath()
  for (let i = from; i < to; i++) pen.lineTo(x(i), y(bpm[i]))
  pen.stroke()
  for (const hold of map.holds) {
    if (hold.beat < first || hold.beat >= last) continue
    const begins = axis.x(map.time_s[hold.beat])
    const ends = axis.x(map.time_s[hold.beat + 1])
    pen.strokeStyle = c.plum
    pen.beginPath()
    pen.arc((begins + ends) / 2, 22, Math.min(9, (ends - begins) / 2), Math.PI, 0)
    pen.stroke()
    pen.fillStyle = c.plum
    pen.textAlign = 'center'
    pen.fillText(`${hold.real_s.toFixed(2)} s`, (begins + ends) / 2, 32)
  }
  pen.textAlign = 'left'
  let labelled = -Infinity
  const pin = (time_s: number, chosen: boolean, label: string) => {
    const at = Math.round(axis.x(time_s)) + 0.5
    // Halfway between the tempos on both sides: where the curve passes.
    const after = Math.min(firstFrom(middle_s, time_s), bpm.length - 1)
    const passes = ((bpm[Math.max(after - 1, 0)] ?? low) + (bpm[after] ?? low)) / 2
    pen.strokeStyle = chosen ? c.madder : c.ink
    pen.lineWidth = 1.4
    pen.beginPath()
    pen.moveTo(at, 0)
    pen.lineTo(at, height)
    pen.stroke()
    pen.fillStyle = c.paper
    pen.beginPath()
    pen.arc(at, y(Math.min(high, Math.max(low, passes))), RING_PX, 0, 2 * Math.PI)
    pen.fill()
    pen.stroke()
    if (at + 6 < labelled) return
    pen.fillStyle = chosen ? c.madder : c.text
    pen.fillText(label, at + 6, 9)
    labelled = at + 12 + pen.measureText(label).width
  }
  for (let i = first; i < last; i++)
    if (map.pinned[i])
      pin(map.time_s[i], selection.has(i), map.beat[i] === 1 ? `pin: bar ${map.bar[i]}` : 'pin')
  const [firstBetween, lastBetween] = beatsInView(axis, map.between.time_s)
  for (let i = firstBetween; i < lastBetween; i++)
    if (map.between.pinned[i]) pin(map.between.time_s[i], i === between, 'pin')
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
