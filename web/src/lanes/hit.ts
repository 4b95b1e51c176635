/** Which note lies under the pointer: the whole height of the semitone is the target. */
import { inView, type Strokes } from '../folio/strokes'
import type { Hit, PitchAxis, TimeAxis } from './geometry'

const EDGE_PX = 6
const NEAR_PX = 4

export function hitStroke(
  strokes: Strokes,
  time: TimeAxis,
  pitch: PitchAxis,
  x: number,
  y: number,
): Hit | null {
  const at = time.time(x)
  const slack = NEAR_PX * time.perPixel
  const [first, last] = inView(strokes, at - slack, at + slack)
  const wanted = pitch.pitch(y)
  const reach = Math.max(0.5, 7 / pitch.semitone)
  let best: Hit | null = null
  let nearest = Infinity
  for (let i = first; i < last; i++) {
    const away = Math.abs(strokes.pitch[i] - wanted)
    if (away > reach || strokes.offset[i] < at - slack) continue
    if (away < nearest) {
      nearest = away
      const start = time.x(strokes.onset[i])
      const end = time.x(strokes.offset[i])
      const wide = end - start > 3 * EDGE_PX
      const part = wide && x > end - EDGE_PX ? 'end' : wide && x < start + EDGE_PX ? 'start' : 'body'
      best = { index: i, part }
    }
  }
  return best
}
