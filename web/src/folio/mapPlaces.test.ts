import { describe, expect, it } from 'vitest'
import type { BeatMapView } from './mapPlaces'
import { betweenBeats, isSame, onBeat, placeAt, placeNear, placesOf, toldOf } from './mapPlaces'

/** Two beats a second apart from 1 s on, an eighth and a triplet between them, and one more beat. */
const map = {
  time_s: [1, 2, 3],
  heard_s: [1, null, 3],
  confidence: [0.9, 0.5, 0.8],
  pinned: [false, true, false],
  bar: [4, 4, 5],
  beat: [3, 4, 1],
  moments: [[], [], [2.9, 3, null]],
  ends_at: [1, null, null],
  between: {
    beat: [0, 1, 1],
    share: [0.5, 1 / 3, 0.87],
    time_s: [1.55, 2.3, 2.9],
    heard_s: [1.5, 2.3, 2.9],
    confidence: [0.7, 0.95, 0.2],
    pinned: [true, false, false],
    moments: [[1.4, 1.5, 1.9], [], []],
    ends_at: [1, 2, null],
  },
} as unknown as BeatMapView

describe('places of a beat map', () => {
  it('tells beats and what is written between them alike', () => {
    expect(toldOf(map, onBeat(2))).toMatchObject({ bar: 5, beat: '1', time_s: 3, moments: [2.9, 3, null] })
    expect(toldOf(map, betweenBeats(0))).toMatchObject({ bar: 4, beat: '3½', pinned: true, endsAt: 1 })
    expect([1, 2].map((i) => toldOf(map, betweenBeats(i)).beat)).toEqual(['4⅓', '4.87'])
  })
  it('has them in order of time, and the nearest to a moment', () => {
    const [one, two, three] = placesOf(map)
    expect([one, two, three]).toEqual([onBeat(0), betweenBeats(0), onBeat(1)])
    expect(placeNear(map, 1.6)).toEqual(betweenBeats(0))
    expect(placeNear(map, 9)).toEqual(onBeat(2))
    expect(isSame(onBeat(1), betweenBeats(1))).toBe(false)
  })
  it('knows where a note is written only while it begins there', () => {
    expect(placeAt(map, 2.3001)).toEqual(betweenBeats(1))
    expect(placeAt(map, 2.35)).toBeNull()
  })
})
