/** Bars and beats above, seconds below. */
import { clock } from '../ui/format'
import { labelStep, type TimeAxis } from './geometry'
import { FIGURES, SMALL_FIGURES, type Colours } from './surface'

export interface Grid {
  time_s: number[]
  bar: number[]
  beat: number[]
}

const BAR_APART = 46

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
  for (let i = 0; i < grid.time_s.length; i++) {
    const x = Math.round(axis.x(grid.time_s[i])) + 0.5
    if (x < -20 || x > axis.width + 20) continue
    const isBar = grid.beat[i] === 1
    pen.strokeStyle = isBar ? c.text : c.rule
    pen.beginPath()
    pen.moveTo(x, isBar ? 2 : half - 5)
    pen.lineTo(x, half)
    pen.stroke()
    if (isBar && x - lastLabel >= BAR_APART) {
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
  for (const wanted of [false, true]) {
    pen.strokeStyle = wanted ? c.rule : c.hairline
    pen.lineWidth = wanted ? 1 : 0.7
    pen.beginPath()
    for (let i = 0; i < grid.time_s.length; i++) {
      if ((grid.beat[i] === 1) !== wanted) continue
      const x = Math.round(axis.x(grid.time_s[i])) + 0.5
      pen.moveTo(x, 0)
      pen.lineTo(x, height)
    }
    pen.stroke()
  }
}
