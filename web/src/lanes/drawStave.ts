/** The honest stave, the measured line, and notes as strokes of a nib. */
import type { Schemas } from '../folio/client'
import type { MeasuredLine } from '../folio/measuredLine'
import { firstFrom, inView, INK, LEFT_OUT, type Strokes } from '../folio/strokes'
import { pitchName } from '../ui/format'
import { BASS, MIDDLE_C, TREBLE, type PitchAxis, type TimeAxis } from './geometry'
import { LABELS, SMALL_FIGURES, type Colours } from './surface'

/** Fewer pixels a note than this leave no room for figures, and then none for a nib. */
const FIGURE_PX = 7
const TICK_PX = 3.5
/** Fewer pixels a key than this leave no room for its name. */
const NAME_PX = 10
/** The longest name of a drum. */
const DRUM_NAME_PX = 68
const TOGETHER_PX = 6
const LINES = new Set([...TREBLE, ...BASS])
const NATURALS = new Set([0, 2, 4, 5, 7, 9, 11])

export function drawStaveLines(
  pen: CanvasRenderingContext2D,
  width: number,
  axis: PitchAxis,
  left: number,
  c: Colours,
): void {
  pen.font = SMALL_FIGURES
  pen.textAlign = 'right'
  pen.textBaseline = 'middle'
  for (let pitch = Math.ceil(axis.low); pitch <= Math.floor(axis.high); pitch++) {
    const y = Math.round(axis.y(pitch)) + 0.5
    const isLine = LINES.has(pitch)
    pen.setLineDash(pitch === MIDDLE_C ? [6, 4] : [])
    pen.strokeStyle = isLine || pitch === MIDDLE_C ? c.stave : c.hairline
    pen.lineWidth = isLine ? 1.4 : pitch === MIDDLE_C ? 1.2 : 0.7
    pen.beginPath()
    pen.moveTo(left, y)
    pen.lineTo(width, y)
    pen.stroke()
    const shown = isLine || pitch === MIDDLE_C
    if (y < 8 || y > axis.height - 8) continue
    if (shown || (NATURALS.has(pitch % 12) && axis.semitone >= 13)) {
      pen.fillStyle = shown ? c.text : c.soft
      // Where none of the five lines is in view the C still tells the octave.
      const named = shown || pitch % 12 === 0
      pen.fillText(named ? pitchName(pitch) : pitchName(pitch).replace(/-?\d+$/, ''), left - 6, y)
    }
  }
  pen.setLineDash([])
}

/** Keys of drums: a hairline each, with its name; what lies between them is no key. */
export function drawDrumLines(
  pen: CanvasRenderingContext2D,
  width: number,
  axis: PitchAxis,
  keys: Record<string, string>,
  c: Colours,
): void {
  pen.font = LABELS
  pen.textAlign = 'left'
  pen.textBaseline = 'bottom'
  pen.strokeStyle = c.hairline
  pen.lineWidth = 1
  for (const [key, name] of Object.entries(keys)) {
    const y = Math.round(axis.y(Number(key))) + 0.5
    if (y < 8 || y > axis.height - 2) continue
    pen.beginPath()
    pen.moveTo(DRUM_NAME_PX, y)
    pen.lineTo(width, y)
    pen.stroke()
    pen.fillStyle = c.soft
    if (axis.semitone >= NAME_PX) pen.fillText(name, 6, y + 6)
  }
}

/** The measured pitch: dots, finer where the voice is uncertain; thinned when far away. */
export function drawMeasured(
  pen: CanvasRenderingContext2D,
  time: TimeAxis,
  pitch: PitchAxis,
  line: MeasuredLine,
  octave: number,
  c: Colours,
): void {
  const step = line.step
  const first = Math.max(0, Math.floor((time.from - line.starts) / step))
  const last = Math.min(line.pitch.length, Math.ceil((time.to - line.starts) / step) + 1)
  const thin = Math.max(1, Math.floor((2 * time.perPixel) / step))
  pen.fillStyle = c.wave
  pen.beginPath()
  for (let i = first - (first % thin); i < last; i += thin) {
    const value = line.pitch[i]
    if (!(value > 0)) continue
    const size = 1 + 2 * Math.max(0, Math.min(1, (line.strength[i] - 0.25) / 0.5))
    const x = time.x(line.starts + i * step)
    const y = pitch.y(value + 12 * octave)
    pen.rect(x - size / 2, y - size / 2, size, size)
  }
  pen.fill()
}

/** Notes struck together: a hairline from the lowest to the highest, with short feet. */
export function drawTogether(
  pen: CanvasRenderingContext2D,
  time: TimeAxis,
  pitch: PitchAxis,
  strokes: Schemas['Strokes'],
  octave: number,
  c: Colours,
): void {
  const { onset_s, low, high } = strokes
  const first = firstFrom(onset_s, time.from)
  const last = firstFrom(onset_s, time.to)
  if ((last - first) * TOGETHER_PX > time.width) return
  pen.strokeStyle = c.wave
  pen.lineWidth = 1
  pen.beginPath()
  for (let i = first; i < last; i++) {
    const x = Math.round(time.x(onset_s[i])) - 3.5
    const top = pitch.y(high[i] + 12 * octave)
    const bottom = pitch.y(low[i] + 12 * octave)
    pen.moveTo(x + 3, top)
    pen.lineTo(x, top)
    pen.lineTo(x, bottom)
    pen.lineTo(x + 3, bottom)
  }
  pen.stroke()
}

export interface NibStyle {
  ink: string
  selected: string
  soft: string
}

/** Strokes of a nib: the upright's height is the velocity, the stroke its length, ending in a point. */
export function drawStrokes(
  pen: CanvasRenderingContext2D,
  time: TimeAxis,
  pitch: PitchAxis,
  strokes: Strokes,
  selection: ReadonlySet<string>,
  style: NibStyle,
  below = 0,
): void {
  const [first, last] = inView(strokes, time.from, time.to)
  const tall = Math.min(34, Math.max(10, pitch.semitone * 1.7))
  const dense = (last - first) * FIGURE_PX > time.width
  // Far away a stroke is a tick.
  if ((last - first) * TICK_PX > time.width) {
    drawTicks(pen, time, pitch, strokes, first, last, selection, style)
    return
  }
  pen.font = SMALL_FIGURES
  pen.textAlign = 'center'
  pen.textBaseline = 'alphabetic'
  for (let i = first; i < last; i++) {
    if (strokes.offset[i] < time.from) continue
    const x = time.x(strokes.onset[i])
    const end = Math.max(x + 3, time.x(strokes.offset[i]))
    const y = pitch.y(strokes.pitch[i]) + below
    const chosen = selection.has(strokes.id[i])
    const height = 5 + (tall - 5) * (strokes.velocity[i] / 127)
    pen.strokeStyle = pen.fillStyle = chosen ? style.selected : style.ink
    if (strokes.kind[i] === INK) nib(pen, x, end, y, height)
    else pencil(pen, x, end, y, height, strokes.confidence[i], strokes.kind[i] === LEFT_OUT && !chosen)
    if (strokes.kind[i] !== INK && end - x > 4 && !dense) {
      pen.globalAlpha = 1
      pen.fillStyle = chosen ? style.selected : style.soft
      pen.fillText(
        String(Math.round(strokes.confidence[i] * 100)),
        (x + Math.min(end, x + 26)) / 2,
        y - height / 2 - 4,
      )
    }
  }
}

function nib(pen: CanvasRenderingContext2D, x: number, end: number, y: number, height: number): void {
  pen.fillRect(x - 1.25, y - height / 2, 2.5, height)
  const tip = Math.min(7, (end - x) / 2)
  pen.beginPath()
  pen.moveTo(x, y - 1.8)
  pen.lineTo(end - tip, y - 1.8)
  pen.lineTo(end, y)
  pen.lineTo(end - tip, y + 1.8)
  pen.lineTo(x, y + 1.8)
  pen.fill()
}

function pencil(
  pen: CanvasRenderingContext2D,
  x: number,
  end: number,
  y: number,
  height: number,
  sure: number,
  leftOut: boolean,
): void {
  pen.globalAlpha = leftOut ? 0.35 + 0.5 * sure : 0.9
  pen.lineWidth = leftOut ? 1.2 : 2
  pen.setLineDash([4, 3])
  pen.beginPath()
  pen.moveTo(x, y - height / 2)
  pen.lineTo(x, y + height / 2)
  pen.moveTo(x, y)
  pen.lineTo(end, y)
  pen.stroke()
  pen.setLineDash([])
  pen.globalAlpha = 1
}

function drawTicks(
  pen: CanvasRenderingContext2D,
  time: TimeAxis,
  pitch: PitchAxis,
  strokes: Strokes,
  first: number,
  last: number,
  selection: ReadonlySet<string>,
  style: NibStyle,
): void {
  const width = Math.ceil(time.width)
  const height = Math.ceil(pitch.height)
  const sheet = tickSheet(width, height)
  sheet.pixels.fill(0)
  const ink = packed(style.ink)
  for (let i = first; i < last; i++) {
    if (strokes.kind[i] === LEFT_OUT) continue
    const x = Math.max(0, Math.round(time.x(strokes.onset[i])))
    const end = Math.min(width, Math.max(x + 2, Math.round(time.x(strokes.offset[i]))))
    const y = Math.round(pitch.y(strokes.pitch[i]))
    for (let row = Math.max(0, y - 1); row <= Math.min(height - 1, y + 1); row++) {
      for (let at = row * width + x; at < row * width + end; at++) sheet.pixels[at] = ink
    }
  }
  sheet.pen.putImageData(sheet.image, 0, 0)
  pen.drawImage(sheet.canvas, 0, 0)
  if (!selection.size) return
  pen.fillStyle = style.selected
  for (let i = first; i < last; i++) {
    if (selection.has(strokes.id[i]))
      pen.fillRect(time.x(strokes.onset[i]), pitch.y(strokes.pitch[i]) - 3, 2.5, 6)
  }
}

interface Sheet {
  canvas: OffscreenCanvas
  pen: OffscreenCanvasRenderingContext2D
  image: ImageData
  pixels: Uint32Array
}
let sheet: Sheet | null = null

/** Pixels that thousands of ticks are written into at once: far quicker than as many rectangles. */
function tickSheet(width: number, height: number): Sheet {
  if (sheet?.canvas.width !== width || sheet.canvas.height !== height) {
    const canvas = new OffscreenCanvas(width, height)
    const pen = canvas.getContext('2d') as OffscreenCanvasRenderingContext2D
    const image = new ImageData(width, height)
    sheet = { canvas, pen, image, pixels: new Uint32Array(image.data.buffer) }
  }
  return sheet
}

/** A colour such as `#135360` as one opaque pixel. */
function packed(colour: string): number {
  const [r, g, b] = [1, 3, 5].map((k) => parseInt(colour.slice(k, k + 2), 16))
  return ((255 << 24) | (b << 16) | (g << 8) | r) >>> 0
}
