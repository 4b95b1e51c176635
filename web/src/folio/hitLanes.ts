/** Lanes of hits: a drum each, and one for soft snares. */
import type { Schemas } from './client'

export const LANES = ['kick', 'snare', 'ghost', 'hat', 'tom', 'cymbal', 'other'] as const
export type HitLane = (typeof LANES)[number]

export function laneOf(strike: Pick<Schemas['Strike'], 'drum' | 'ghost'>): HitLane {
  if (strike.ghost) return 'ghost'
  return (LANES as readonly string[]).includes(strike.drum) ? (strike.drum as HitLane) : 'other'
}
