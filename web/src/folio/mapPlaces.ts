/** Where something begins in a beat map: on a beat, or between two as an aligned score has it. */
import type { Schemas } from './client'

export type BeatMapView = Schemas['BeatMapView']
/** A beat, or an onset between beats, by its number in the map. */
export type Place = Schemas['MapPlace']

export interface Told {
  bar: number
  /** Beat of the bar, with what is written after it as a fraction: `3`, `3½`. */
  beat: string
  time_s: number
  heard_s: number | null
  confidence: number
  pinned: boolean
  moments: (number | null)[]
  /** Where the end of what begins here is written, by beats and the share of the way to the next one. */
  endsAt: number | null
}

const FRACTIONS: [number, string][] = [
  [1 / 2, '½'], [1 / 4, '¼'], [3 / 4, '¾'], [1 / 3, '⅓'], [2 / 3, '⅔'], [1 / 6, '⅙'], [5 / 6, '⅚'],
  [1 / 8, '⅛'], [3 / 8, '⅜'], [5 / 8, '⅝'], [7 / 8, '⅞'],
] // prettier-ignore
const SAME_SHARE = 0.005
/** A note this near an onset of the map is of that onset. */
const SAME_S = 1e-3

export const onBeat = (beat: number): Place => ({ beat, between: null })
export const betweenBeats = (between: number): Place => ({ beat: null, between })

export function isSame(a: Place | null, b: Place | null): boolean {
  return a?.beat === b?.beat && a?.between === b?.between
}

function fraction(share: number): string {
  return FRACTIONS.find(([each]) => Math.abs(each - share) < SAME_SHARE)?.[1] ?? share.toFixed(2).slice(1)
}

/** What is known of a place. */
export function toldOf(map: BeatMapView, place: Place): Told {
  const from = place.between === null ? map : map.between
  const at = place.between ?? place.beat ?? 0
  const i = place.between === null ? at : map.between.beat[at]
  return {
    bar: map.bar[i],
    beat: `${map.beat[i]}${place.between === null ? '' : fraction(map.between.share[at])}`,
    time_s: from.time_s[at],
    heard_s: from.heard_s[at],
    confidence: from.confidence[at],
    pinned: from.pinned[at],
    moments: from.moments[at] ?? [],
    endsAt: from.ends_at[at] ?? null,
  }
}

/** All places in order of time. */
export function placesOf(map: BeatMapView): Place[] {
  const beats = map.time_s.map((time, i) => ({ time, place: onBeat(i) }))
  const others = map.between.time_s.map((time, i) => ({ time, place: betweenBeats(i) }))
  return [...beats, ...others].sort((a, b) => a.time - b.time).map(({ place }) => place)
}

/** The number of the moment nearest to another, -1 where there is none. */
export function nearest(times: number[], moment: number): number {
  let best = -1
  times.forEach((time, i) => {
    if (best < 0 || Math.abs(time - moment) < Math.abs(times[best] - moment)) best = i
  })
  return best
}

/** The place nearest to a moment. */
export function placeNear(map: BeatMapView, moment: number): Place {
  const beat = nearest(map.time_s, moment)
  const between = nearest(map.between.time_s, moment)
  const away = (time: number) => Math.abs(time - moment)
  return between >= 0 && away(map.between.time_s[between]) < away(map.time_s[beat])
    ? betweenBeats(between)
    : onBeat(beat)
}

/** The place at which a note that begins at a moment is written, if it still begins there. */
export function placeAt(map: BeatMapView, moment: number): Place | null {
  const place = placeNear(map, moment)
  return Math.abs(toldOf(map, place).time_s - moment) < SAME_S ? place : null
}
