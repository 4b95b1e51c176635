/** A loop as strips of paper, and its hits by lane under it. Draws only what is in view. */
import { LANES, laneOf } from '../folio/hitLanes'
import type { KitView, SliceBody } from '../folio/kits'
import type { TimeAxis } from './geometry'
import { FIGURES, SMALL_FIGURES, type Colours } from './surface'

export const LANE_PX = 32
/** Every second strip lies lower by this, so that neighbours are told apart without colour. */
const STEP_PX = 9
const STRIP_TOP = 14
const LABEL_ROOM = 24
const TOOTH_PX = 5
const NIB_PX = 8
/** A lane in doubt has its name over how sure it is, each so far from the middle. */
const DOUBT_PX = 7
const NARROWEST_LABEL_PX = 9
/** Width of a figure, and the room that labels keep between them. */
const FIGURE_PX = 7.8
const LABEL_APART_PX = 3
const NARROWEST_MS_PX = 30

/** First and one past the last slice in view. */
export function slicesInView(slices: SliceBody[], axis: TimeAxis): [number, number] {
  let low = 0
  let high = slices.length
  while (low < high) {
    const middle = (low + high) >> 1
    if (slices[middle].last_s < axis.from) low = middle + 1
    else high = middle
  }
  let end = low
  while (end < slices.length && slices[end].first_s <= axis.to) end++
  return [low, end]
}

/** A torn edge: the cut was set or moved by hand. */
function tear(pen: CanvasRenderingContext2D, x: number, top: number, bottom: number): void {
  for (let y = top, k = 0; y < bottom; y += TOOTH_PX, k++) {
    pen.lineTo(x + (k % 2 ? 4 : -2), Math.min(y + TOOTH_PX, bottom))
  }
}

function outline(
  pen: CanvasRenderingContext2D,
  left: number,
  right: number,
  top: number,
  bottom: number,
  torn: boolean,
): void {
  pen.beginPath()
  pen.moveTo(left, top)
  if (torn) tear(pen, left, top, bottom)
  else pen.lineTo(left, bottom)
  pen.lineTo(right, bottom)
  pen.lineTo(right, top)
  pen.closePath()
}

export function drawStrips(
  pen: CanvasRenderingContext2D,
  axis: TimeAxis,
  height: number,
  view: KitView,
  c: Colours,
): void {
  const [first, last] = slicesInView(view.slices, axis)
  const bottom = height - LABEL_ROOM
  for (let i = first; i < last; i++) {
    const piece = view.slices[i]
    const drop = i % 2 ? STEP_PX : 0
    const left = axis.x(piece.first_s)
    const right = Math.max(left + 1, axis.x(piece.last_s) - 1)
    outline(pen, left, right, STRIP_TOP + drop, bottom - STEP_PX + drop, piece.by_hand)
    pen.fillStyle = i % 2 ? c.sunk : c.panel
    pen.fill()
    pen.strokeStyle = c.stave
    pen.lineWidth = 1
    pen.stroke()
  }
}

/** What lies over the recording: marks of what was done, selection, and the keys or numbers under the strips. */
export function drawStripMarks(
  pen: CanvasRenderingContext2D,
  axis: TimeAxis,
  height: number,
  view: KitView,
  selection: Set<string>,
  label: (piece: SliceBody, place: number) => string,
  c: Colours,
): void {
  const [first, last] = slicesInView(view.slices, axis)
  const bottom = height - LABEL_ROOM
  pen.textAlign = 'center'
  pen.textBaseline = 'middle'
  let labelledTo = -Infinity
  for (let i = first; i < last; i++) {
    const piece = view.slices[i]
    const drop = i % 2 ? STEP_PX : 0
    const left = axis.x(piece.first_s)
    const right = Math.max(left + 1, axis.x(piece.last_s) - 1)
    const middle = (left + right) / 2
    if (piece.settings.muted) hatch(pen, left, right, STRIP_TOP + drop, bottom - STEP_PX + drop, c.soft)
    if (piece.settings.reversed) backwards(pen, left, right, STRIP_TOP + drop + 8, c.ink)
    if (selection.has(piece.id)) {
      outline(pen, left, right, STRIP_TOP + drop, bottom - STEP_PX + drop, piece.by_hand)
      pen.strokeStyle = c.madder
      pen.lineWidth = 1.6
      pen.stroke()
    }
    if (right - left >= NARROWEST_LABEL_PX) {
      const text = label(piece, i)
      pen.font = FIGURES
      pen.fillStyle = selection.has(piece.id) ? c.madder : c.text
      // A label that would touch the one before it is left out.
      if (middle - labelledTo >= (text.length * FIGURE_PX) / 2) {
        pen.fillText(text, middle, height - LABEL_ROOM / 2 + 1)
        labelledTo = middle + (text.length * FIGURE_PX) / 2 + LABEL_APART_PX
      }
    }
  }
  pen.textAlign = 'left'
}

function hatch(
  pen: CanvasRenderingContext2D,
  left: number,
  right: number,
  top: number,
  bottom: number,
  colour: string,
): void {
  pen.save()
  pen.beginPath()
  pen.rect(left, top, right - left, bottom - top)
  pen.clip()
  pen.strokeStyle = colour
  pen.lineWidth = 0.8
  pen.beginPath()
  for (let x = left - (bottom - top); x < right; x += 7) {
    pen.moveTo(x, bottom)
    pen.lineTo(x + bottom - top, top)
  }
  pen.stroke()
  pen.restore()
}

/** A line that runs back under its own head: the strip plays backwards. */
function backwards(
  pen: CanvasRenderingContext2D,
  left: number,
  right: number,
  y: number,
  colour: string,
): void {
  const from = Math.min(right - 3, left + 26)
  pen.strokeStyle = colour
  pen.lineWidth = 1.4
  pen.beginPath()
  pen.moveTo(from, y)
  pen.lineTo(left + 4, y)
  pen.lineTo(left + 9, y - 4)
  pen.stroke()
}

/** Hits by lane: nibs as tall as they were struck hard; doubtful ones in outline. */
export function drawHitLanes(
  pen: CanvasRenderingContext2D,
  axis: TimeAxis,
  view: KitView,
  selection: Set<string>,
  drum: string,
  c: Colours,
): void {
  const [first, last] = slicesInView(view.slices, axis)
  pen.font = SMALL_FIGURES
  pen.textBaseline = 'middle'
  let labelled = -Infinity
  for (let i = first; i < last; i++) {
    const piece = view.slices[i]
    const x = axis.x(piece.first_s)
    const chosen = selection.has(piece.id)
    for (const strike of piece.strikes) {
      const base = (LANES.indexOf(laneOf(strike)) + 1) * LANE_PX - 4
      const tall = 7 + (strike.velocity / 127) * (LANE_PX - 13)
      nib(pen, x, base, tall)
      pen.fillStyle = pen.strokeStyle = chosen && (!drum || strike.drum === drum) ? c.madder : c.ink
      pen.lineWidth = 1.1
      if (strike.confidence >= view.sure) pen.fill()
      else {
        pen.globalAlpha = 0.18
        pen.fill()
        pen.globalAlpha = 1
        pen.stroke()
      }
    }
    const late = Math.round(piece.off_grid_ms)
    const next = view.slices[i + 1]
    const room = next ? axis.x(next.first_s) - x : Infinity
    if (Math.abs(late) >= 10 && piece.strikes.length && Math.min(room, x - labelled) > NARROWEST_MS_PX) {
      const lane = LANES.indexOf(laneOf(piece.strikes[0]))
      pen.fillStyle = c.soft
      pen.fillText(`${late > 0 ? '+' : '−'}${Math.abs(late)}`, x + NIB_PX + 3, lane * LANE_PX + 10)
      labelled = x
    }
  }
}

function nib(pen: CanvasRenderingContext2D, x: number, base: number, tall: number): void {
  pen.beginPath()
  pen.moveTo(x, base)
  pen.lineTo(x, base - tall)
  pen.lineTo(x + NIB_PX * 0.75, base - tall * 0.72)
  pen.lineTo(x + NIB_PX, base - tall * 0.2)
  pen.closePath()
}

/** Names of the lanes, and how sure the strokes of those are that may be another drum. */
export function drawLaneNames(
  pen: CanvasRenderingContext2D,
  left: number,
  width: number,
  thresholds: Record<string, number>,
  doubted: Map<string, number>,
  c: Colours,
): void {
  pen.font = FIGURES
  pen.textBaseline = 'middle'
  LANES.forEach((lane, i) => {
    const sure = doubted.get(lane)
    const middle = i * LANE_PX + LANE_PX / 2
    pen.fillStyle = c.text
    pen.fillText(lane, 10, sure === undefined ? middle : middle - DOUBT_PX)
    if (sure !== undefined) {
      pen.fillStyle = c.soft
      pen.fillText(`sure ${sure.toFixed(2)}`, 10, middle + DOUBT_PX)
    }
    if (lane in thresholds) {
      pen.fillStyle = c.soft
      pen.fillText(`${Math.round(thresholds[lane])}`, left - 30, i * LANE_PX + LANE_PX / 2)
    }
    pen.fillStyle = c.hairline
    pen.fillRect(0, (i + 1) * LANE_PX - 1, width, 1)
  })
}
