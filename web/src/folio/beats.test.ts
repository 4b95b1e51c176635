import { answerWith } from '../../testServer'
import { createPinia, setActivePinia } from 'pinia'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { useBeats } from './beats'
import { useFolio } from './folio'
import { useNotes } from './notes'

const view = {
  id: 'b', name: 'curtain', take: 't', reading: 'r', rules: true, time_s: [1, 1.5, 2, 2.5], heard_s: [1, 1.5, 2, 2.5],
  drift_ms: [0, 0, 0, 0], confidence: [0.9, 0.4, 0.9, 0.9], pinned: [false, false, false, false], bar: [1, 1, 1, 1],
  beat: [1, 2, 3, 4], position: [0, 1, 2, 3], felt_bpm: [120, 120, 120], doubt_bpm: [1, 1, 1], weakest: [1],
  meters: [{ beat: 0, bar: 1, numerator: 4, denominator: 4 }], first_bar_number: 1, holds: [], markers: [], clicks: [],
  smoothing: 0.2, runners_up: [{ name: 'twice the tempo', share: 0.2 }], score: '', moments: [], written_out: [],
  silences: [], implausible: [], held: [], said: [],
} // prettier-ignore
const ticks = (count: number) => ({
  time_s: Array.from({ length: count }, (_, i) => 1 + i / 2), instrument: [], pitch: [], velocity: [],
}) // prettier-ignore
const take = { name: 'curtain', kind: 'audio', facts: { rate: 44100, frames: 88200, duration_s: 3 } }
let asked: string[] = []
let bodies: { action?: string; beats?: number[]; values?: Record<string, unknown> }[] = []

async function answer(request: Request | string): Promise<Response> {
  const asking = typeof request === 'string' ? new Request(request) : request
  const url = new URL(asking.url, 'http://here/')
  const path = url.pathname.replace('/api/folios/f', '')
  asked.push(`${asking.method} ${path}`)
  if (asking.method !== 'GET') bodies.push((await asking.json()) as (typeof bodies)[0])
  const summary = { name: 'curtain', take: 't', reading: 'r', at: 1, beats: 4, pins: 0 }
  const said: Record<string, unknown> = {
    '': { id: 'f', revision: 3, changed_at: 1, takes: { t: take }, parts: {}, kits: {}, beat_maps: { b: summary }, settings: {}, note_doubts: { sure: 0.8, worth_walking: 0.12 } },
    '/readings': [],
    '/jobs': [],
    '/beat-maps/b': view,
    '/beat-maps/b/ticks': ticks(url.searchParams.get('runner_up') ? 7 : 4),
    '/beat-maps/b/edits': { revision: 4 },
  } // prettier-ignore
  return new Response(JSON.stringify(said[path] ?? {}), { headers: { 'content-type': 'application/json' } })
}

describe('the beat map of the take in view', () => {
  beforeEach(async () => {
    asked = []
    bodies = []
    setActivePinia(createPinia())
    answerWith(answer)
    vi.stubGlobal('EventSource', class { close() { return undefined } }) // prettier-ignore
    await useFolio().open('f')
    useNotes().takeId = 't'
    useBeats()
    await vi.waitFor(() => expect(useBeats().map).not.toBeNull())
  })
  afterEach(() => vi.unstubAllGlobals())

  it('is loaded with its click, and selects from one beat to another', () => {
    const beats = useBeats()
    expect(beats.ticks?.time_s).toHaveLength(4)
    beats.select([1])
    beats.selectTo(3)
    expect(beats.selected).toEqual([1, 2, 3])
    beats.select([2])
    for (const by of [1, 1, -1, -1, -1, -1]) beats.extend(by)
    expect(beats.selected).toEqual([0, 1, 2])
    expect(beats.near(1.9)).toBe(2)
  })
  it('hears another way to count without changing anything', async () => {
    const beats = useBeats()
    await beats.tryCount('twice the tempo')
    expect(beats.ticks?.time_s).toHaveLength(7)
    expect(beats.trying).toBe('twice the tempo')
    expect(bodies).toEqual([])
  })
  it('sends taps once there are enough of them', async () => {
    const beats = useBeats()
    beats.taps = [1, 1.5]
    await beats.keepTaps()
    expect(bodies).toEqual([])
    beats.taps = [1, 1.5, 2.1]
    await beats.keepTaps()
    expect(bodies[0]).toMatchObject({ action: 'tap', beats: [], values: { tap_s: [1, 1.5, 2.1] } })
    expect(beats.taps).toEqual([])
  })
})
