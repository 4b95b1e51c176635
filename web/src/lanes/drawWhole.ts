/** The whole take on five lines: recording, notes as ticks, doubts below, what is in view as a frame. */
import { DOUBTFUL, LEFT_OUT, type Strokes } from '../folio/strokes'
import { drawWave } from './drawWave'
import { pitchRange, TimeAxis } from './geometry'
import type { Peaks } from './peaks'
import type { Colours } from './surface'

export function drawWhole(
  pen: CanvasRenderingContext2D,
  width: number,
  height: number,
  duration: number,
  peaks: Peaks | null,
  strokes: Strokes,
  c: Colours,
): void {
  const axis = new TimeAxis(0, duration, width)
  const top = 9
  const bottom = height - 11
  pen.strokeStyle = c.stave
  pen.lineWidth = 0.8
  pen.beginPath()
  for (let i = 0; i < 5; i++) {
    const y = Math.round(top + ((bottom - top) * i) / 4) + 0.5
    pen.moveTo(0, y)
    pen.lineTo(width, y)
  }
  pen.stroke()
  if (peaks) drawWave(pen, axis, top, bottom - top, peaks, c.faint)
  const [low, high] = pitchRange(strokes.pitch)
  // One tick a pixel and row is enough.
  const lastX = new Int32Array(Math.ceil(height) + 1).fill(-1)
  const doubts: number[] = []
  pen.fillStyle = c.ink
  pen.beginPath()
  for (let i = 0; i < strokes.onset.length; i++) {
    const x = axis.x(strokes.onset[i])
    if (strokes.kind[i] !== 0) doubts.push(x)
    if (strokes.kind[i] === LEFT_OUT) continue
    const y = bottom - ((strokes.pitch[i] - low) / (high - low)) * (bottom - top)
    const row = Math.max(0, Math.round(y))
    if (lastX[row] === Math.round(x)) continue
    lastX[row] = Math.round(x)
    pen.rect(x, y - 1.2, Math.max(1.5, axis.x(strokes.offset[i]) - x), 2.4)
  }
  pen.fill()
  drawDoubtMarks(pen, doubts, height, c, strokes)
}

function drawDoubtMarks(
  pen: CanvasRenderingContext2D,
  doubts: number[],
  height: number,
  c: Colours,
  strokes: Strokes,
): void {
  let last = -Infinity
  pen.strokeStyle = strokes.kind.includes(DOUBTFUL) ? c.ink : c.soft
  pen.lineWidth = 1
  pen.beginPath()
  for (const x of doubts) {
    if (x - last < 5) continue
    last = x
    pen.moveTo(x - 3, height - 3)
    pen.lineTo(x, height - 8)
    pen.lineTo(x + 3, height - 3)
    pen.closePath()
  }
  pen.stroke()
}
