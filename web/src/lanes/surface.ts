/** A canvas at the screen's own resolution, and the colours of the theme in force. */

export interface Colours {
  paper: string
  panel: string
  sunk: string
  hairline: string
  rule: string
  stave: string
  text: string
  soft: string
  ink: string
  wave: string
  faint: string
  measured: string
  madder: string
  plum: string
}

const NAMES = [
  'paper', 'panel', 'sunk', 'hairline', 'rule', 'stave', 'text', 'soft', 'ink', 'wave', 'faint', 'measured',
  'madder', 'plum',
] as const // prettier-ignore
let cached: { theme: string; colours: Colours } | null = null

export function colours(): Colours {
  const theme = document.documentElement.dataset.theme ?? 'day'
  if (cached?.theme !== theme) {
    const style = getComputedStyle(document.documentElement)
    const entries = NAMES.map((name) => [name, style.getPropertyValue(`--${name}`).trim()])
    cached = { theme, colours: Object.fromEntries(entries) as unknown as Colours }
  }
  return cached.colours
}

export const FIGURES = "12px 'Atkinson Hyperlegible Mono Variable', monospace"
export const SMALL_FIGURES = "11px 'Atkinson Hyperlegible Mono Variable', monospace"
export const LABELS = "12px 'Atkinson Hyperlegible Next Variable', sans-serif"

/** Sizes a canvas to its box and gives its context in CSS pixels, cleared. */
export function prepare(canvas: HTMLCanvasElement): {
  pen: CanvasRenderingContext2D
  width: number
  height: number
} {
  const ratio = window.devicePixelRatio || 1
  const width = canvas.clientWidth
  const height = canvas.clientHeight
  const wanted = [Math.round(width * ratio), Math.round(height * ratio)]
  if (canvas.width !== wanted[0] || canvas.height !== wanted[1]) [canvas.width, canvas.height] = wanted
  const pen = canvas.getContext('2d') as CanvasRenderingContext2D
  pen.setTransform(ratio, 0, 0, ratio, 0, 0)
  pen.clearRect(0, 0, width, height)
  return { pen, width, height }
}

/** Script time of the last frames of each lane in ms, for the measuring bench. */
export const frameTimes: Record<string, number[]> = {}

/** Draws and notes how long the script took. */
export function timed(lane: string, draw: () => void): void {
  const start = performance.now()
  draw()
  const list = (frameTimes[lane] ??= [])
  list.push(performance.now() - start)
  if (list.length > 300) list.shift()
}
