/** Bars and beats above, seconds below. */
import { clock } from '../ui/format'
import { barStep, labelStep, type TimeAxis } from './geometry'
import { FIGURES, SMALL_FIGURES, type Colours } from './surface'

export interface Grid {
  time_s: number[]
  bar: number[]
  beat: number[]
}

/** Numbers lie this far apart on average, and never closer than a number is wide. */
const BAR_APART = 46
const NUMBER_WIDE = 32
/** Lines closer than this are left out, first the beats, then bars by powers of two. */
const BEAT_APART = 5
const LINE_APART = 7

/** First and one past the last line in view. */
function seen(axis: TimeAxis, grid: Grid): [number, number] {
  const find = (time: number) => {
    let low = 0
    let high = grid.time_s.length
    while (low < high) {
      const middle = (low + high) >> 1
      if (grid.time_s[middle] < time) low = middle + 1
      else high = middle
    }
    return low
  }
  return [Math.max(0, find(axis.from) - 1), Math.min(grid.time_s.length, find(axis.to) + 1)]
}

/** What is drawn at this zoom: whether beats are, every how many bars there is a line, and a number. */
function density(axis: TimeAxis, grid: Grid): { beats: boolean; bars: number; numbers: number } {
  const count = grid.time_s.length
  if (count < 2) return { beats: true, bars: 1, numbers: 1 }
  const beat = (grid.time_s[count - 1] - grid.time_s[0]) / (count - 1) / axis.perPixel
  const bars = grid.bar[count - 1] - grid.bar[0] + 1
  const bar = (grid.time_s[count - 1] - grid.time_s[0]) / bars / axis.perPixel
  return { beats: beat >= BEAT_APART, bars: barStep(bar, LINE_APART), numbers: barStep(bar, BAR_APART) }
}

export function drawRuler(
  pen: CanvasRenderingContext2D,
  axis: TimeAxis,
  height: number,
  grid: Grid | null,
  c: Colours,
): void {
  const half = height / 2
  pen.textAlign = 'left'
  pen.textBaseline = 'middle'
  if (grid) drawBars(pen, axis, half, grid, c)
  const step = labelStep(axis.perPixel, 76)
  const decimals = step >= 1 ? 0 : step >= 0.1 ? 1 : step >= 0.01 ? 2 : 3
  pen.font = SMALL_FIGURES
  pen.strokeStyle = c.rule
  pen.fillStyle = c.soft
  for (let i = Math.ceil(Math.max(0, axis.from) / step); i * step <= axis.to; i++) {
    const x = Math.round(axis.x(i * step)) + 0.5
    pen.beginPath()
    pen.moveTo(x, half + 3)
    pen.lineTo(x, height)
    pen.stroke()
    pen.fillText(clock(i * step, decimals), x + 4, half + half / 2 + 1)
  }
}

function drawBars(pen: CanvasRenderingContext2D, axis: TimeAxis, half: number, grid: Grid, c: Colours): void {
  pen.font = FIGURES
  let lastLabel = -Infinity
  const { beats, bars, numbers } = density(axis, grid)
  const [first, last] = seen(axis, grid)
  for (let i = first; i < last; i++) {
    const isBar = grid.beat[i] === 1
    if (isBar ? (grid.bar[i] - 1) % bars !== 0 : !beats) continue
    const x = Math.round(axis.x(grid.time_s[i])) + 0.5
    const named = isBar && (grid.bar[i] - 1) % numbers === 0 && x - lastLabel >= NUMBER_WIDE
    pen.strokeStyle = isBar ? c.text : c.rule
    pen.beginPath()
    // Lines without a number stay under the numbers of others.
    pen.moveTo(x, named ? 2 : half - 4)
    pen.lineTo(x, half)
    pen.stroke()
    if (named) {
      pen.fillStyle = c.text
      pen.fillText(String(grid.bar[i]), x + 4, half / 2 + 1)
      lastLabel = x
    }
  }
}

/** Bar lines and beats across the lanes. */
export function drawGrid(
  pen: CanvasRenderingContext2D,
  axis: TimeAxis,
  height: number,
  grid: Grid | null,
  c: Colours,
): void {
  if (!grid) return
  const { beats, bars } = density(axis, grid)
  const [first, last] = seen(axis, grid)
  for (const wanted of [false, true]) {
    if (!wanted && !beats) continue
    pen.strokeStyle = wanted ? c.rule : c.hairline
    pen.lineWidth = wanted ? 1 : 0.7
    pen.beginPath()
    for (let i = first; i < last; i++) {
      if ((grid.beat[i] === 1) !== wanted || (wanted && (grid.bar[i] - 1) % bars !== 0)) continue
      const x = Math.round(axis.x(grid.time_s[i])) + 0.5
      pen.moveTo(x, 0)
      pen.lineTo(x, height)
    }
    pen.stroke()
  }
}
