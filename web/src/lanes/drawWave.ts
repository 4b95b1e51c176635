/** The recording in soft graphite. */
import type { TimeAxis } from './geometry'
import type { Peaks } from './peaks'
import type { Colours } from './surface'

/** Closer than this many pixels a sample, the samples are joined by a line. */
const SINGLE_FROM = 1.5
const DOTS_FROM = 6

export function drawWave(
  pen: CanvasRenderingContext2D,
  axis: TimeAxis,
  top: number,
  height: number,
  peaks: Peaks,
  colour: string,
): void {
  const middle = top + height / 2
  const half = (height / 2) * peaks.gain
  const pixelsPerSample = 1 / (axis.perPixel * peaks.rate)
  pen.fillStyle = colour
  pen.strokeStyle = colour
  if (pixelsPerSample >= SINGLE_FROM) {
    drawSamples(pen, axis, middle, half, peaks, pixelsPerSample)
    return
  }
  const width = Math.round(axis.width)
  const { low, high } = peaks.extremes(axis.from, axis.to, width)
  pen.beginPath()
  for (let x = 0; x < width; x++) {
    if (Number.isNaN(low[x])) continue
    const upper = middle - Math.min(1, high[x]) * half
    const lower = middle - Math.max(-1, low[x]) * half
    pen.rect(x, upper, 1, Math.max(1, lower - upper))
  }
  pen.fill()
}

function drawSamples(
  pen: CanvasRenderingContext2D,
  axis: TimeAxis,
  middle: number,
  half: number,
  peaks: Peaks,
  pixelsPerSample: number,
): void {
  const { first, values } = peaks.samples(axis.from - 2 / peaks.rate, axis.to + 2 / peaks.rate)
  pen.lineWidth = 1.2
  pen.beginPath()
  values.forEach((value, i) => {
    const x = axis.x(first + i / peaks.rate)
    const y = middle - value * half
    if (i === 0) pen.moveTo(x, y)
    else pen.lineTo(x, y)
  })
  pen.stroke()
  if (pixelsPerSample < DOTS_FROM) return
  pen.beginPath()
  values.forEach((value, i) => {
    const x = axis.x(first + i / peaks.rate)
    pen.rect(x - 1.5, middle - value * half - 1.5, 3, 3)
  })
  pen.fill()
}

/** Silence at the ends and the middle line. */
export function drawMiddle(pen: CanvasRenderingContext2D, width: number, y: number, c: Colours): void {
  pen.strokeStyle = c.hairline
  pen.lineWidth = 1
  pen.beginPath()
  pen.moveTo(0, Math.round(y) + 0.5)
  pen.lineTo(width, Math.round(y) + 0.5)
  pen.stroke()
}
