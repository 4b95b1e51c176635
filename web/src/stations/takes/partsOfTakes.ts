/** What the parts of each take hold together. */
import type { Part, Schemas } from '../../folio/client'

export interface PartsOfTake {
  parts: number
  /** Null until they were counted. */
  notes: number | null
  /** How many of the notes are expected to be wrong. */
  wrong: number
}

export const NO_PARTS: PartsOfTake = { parts: 0, notes: null, wrong: 0 }

export function partsOfTakes(
  parts: Record<string, Part>,
  doubts: Record<string, Schemas['PartDoubts']>,
): Record<string, PartsOfTake> {
  const found: Record<string, PartsOfTake> = {}
  for (const [id, part] of Object.entries(parts)) {
    const sum = (found[part.take] ??= { ...NO_PARTS })
    sum.parts += 1
    if (!doubts[id]) continue
    sum.notes = (sum.notes ?? 0) + doubts[id].notes
    sum.wrong += doubts[id].wrong
  }
  return found
}
