import { answerWith } from '../../testServer'
import { createPinia, setActivePinia } from 'pinia'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { nextTick } from 'vue'
import { useFolio } from './folio'
import { useKits } from './kits'
import { useNotes } from './notes'

const plain = {
  gain_db: 0, fade_s: 0, reversed: false, muted: false, end: 'next', drums: null, key: null, take: '',
  first_frame: 0, last_frame: 0,
} // prettier-ignore
const strike = (drum: string, confidence = 0.95) => ({
  drum, kind: drum, velocity: 90, confidence, ghost: false, runner_up: '', runner_up_share: 0,
}) // prettier-ignore
const slice = (id: string, first_s: number, confidence = 0.95, by_hand = false) => ({
  id, first_s, last_s: first_s + 0.5, read_s: first_s, within_ms: 0.5, level_db: -10, strikes: [strike('kick', confidence)],
  by_hand, key: 36, off_grid_ms: 0, settings: plain,
}) // prettier-ignore
const kit = {
  name: 'Loop', take: 't', reading: 'r', least_confidence: 0.5, threshold_db: -60, lane_thresholds_db: {},
  hand: [], moved: [], away: [], slices: {}, root: 36, layout: 'rising', order: [], choke_hats: true, notes: {},
  tails: 'cut', tempo: 0, bpm: null, at: 1,
} // prettier-ignore
const lead = { ...slice('lead', 0), strikes: [] }
const all = [lead, slice('r1', 0.1), slice('r2', 0.6, 0.6), slice('h1', 1.1, 0.3, true)]
const view = (slices: unknown[]) => ({
  kit, rate: 44100, slices, loop_key: 35, keyless: 0, moment_s: [], moment_db: [], moment_confidence: [],
  grid: { time_s: [], bar: [], beat: [] }, tempo: null, tempi: [], doubts: ['r2'], sure: 0.75,
}) // prettier-ignore
const take = { name: 'loop', kind: 'audio', facts: { rate: 44100, frames: 88200, duration_s: 2 } }

let asked: string[] = []
let slicesNow: Record<string, unknown> = {}
let bodies: Record<string, unknown>[] = []

async function answer(request: Request | string): Promise<Response> {
  const asking = typeof request === 'string' ? new Request(request) : request
  const path = new URL(asking.url, 'http://here/').pathname.replace('/api/folios/f', '')
  asked.push(`${asking.method} ${path}`)
  if (asking.method !== 'GET') bodies.push((await asking.json()) as Record<string, unknown>)
  const said: Record<string, unknown> = {
    '': {
      id: 'f',
      revision: 3,
      changed_at: 1,
      takes: { t: take },
      parts: {},
      kits: { k: { ...kit, slices: slicesNow } },
      settings: {},
      note_doubts: { sure: 0.8, worth_walking: 0.12 },
    },
    '/readings': [],
    '/jobs': [],
    '/kits/k': asking.method === 'PATCH' ? { revision: 4 } : view(all),
    '/kits/k/try': view(all.slice(0, 2)),
    '/kits/k/edits': { revision: 4 },
    '/kits/k/pattern': { part: 'p' },
    '/kits/k/null': { exact: true, residual_db: -150, breaking: [] },
  }
  const json = { headers: { 'content-type': 'application/json' } }
  return path in said
    ? new Response(JSON.stringify(said[path]), json)
    : new Response(JSON.stringify({ title: 'nothing here' }), { ...json, status: 404 })
}
async function settled() {
  for (let i = 0; i < 12; i++) {
    await nextTick()
    await new Promise((done) => setTimeout(done, 0))
  }
}

beforeEach(async () => {
  asked = []
  bodies = []
  slicesNow = {}
  answerWith(answer)
  vi.stubGlobal('EventSource', class { close() { return undefined } }) // prettier-ignore
  vi.stubGlobal('window', { setTimeout: (run: () => void) => setTimeout(run, 0), clearTimeout, dispatchEvent: () => true }) // prettier-ignore
  setActivePinia(createPinia())
  await useFolio().open('f')
  useNotes().takeId = 't'
  useKits()
  await settled()
})
afterEach(() => vi.unstubAllGlobals())

describe('the kit of the take in view', () => {
  it('is found by its take, its lead kept out of what can be played', () => {
    const kits = useKits()
    expect(kits.id).toBe('k')
    expect(kits.playable.map((s) => s.id)).toEqual(['r1', 'r2', 'h1'])
    expect(kits.nulled?.exact).toBe(true)
  })
  it('walks the doubts that it is told', () => {
    expect(useKits().doubts.map((s) => s.id)).toEqual(['r2'])
  })
  it('tells the place of the selection', () => {
    const kits = useKits()
    kits.select(['r2'])
    expect(kits.place).toBe(1)
    expect(kits.focus?.id).toBe('r2')
    kits.select(['h1'], true)
    expect(kits.selection.size).toBe(2)
  })
  it('tries thresholds without keeping them, and keeps them once when let go', async () => {
    const kits = useKits()
    kits.tryThresholds({ threshold_db: -20 } as never)
    await settled()
    expect(kits.playable.map((s) => s.id)).toEqual(['r1'])
    expect(asked).not.toContain('PATCH /kits/k')
    kits.keepThresholds()
    await settled()
    expect(asked.filter((a) => a === 'PATCH /kits/k')).toHaveLength(1)
    expect(bodies.at(-1)).toMatchObject({ threshold_db: -20, base_revision: 3 })
    kits.keepThresholds()
    await settled()
    expect(asked.filter((a) => a === 'PATCH /kits/k')).toHaveLength(1)
  })
  it('asks once for what is tried while an answer is on its way, and loses no press of a key', async () => {
    const kits = useKits()
    await settled()
    for (const threshold_db of [-20, -21, -22, -23]) {
      kits.tryThresholds({ threshold_db } as never)
      kits.keepThresholds()
    }
    await settled()
    expect(asked.filter((a) => a === 'POST /kits/k/try').length).toBeLessThanOrEqual(2)
    expect(asked.filter((a) => a === 'PATCH /kits/k')).toHaveLength(1)
    expect(bodies.filter((b) => 'base_revision' in b)).toMatchObject([{ threshold_db: -23 }])
  })
  it('sends edits of what is selected on the revision in view', async () => {
    const kits = useKits()
    kits.select(['r1', 'r2'])
    await kits.edit('set', { muted: true })
    expect(bodies.at(-1)).toEqual({
      action: 'set', ids: ['r1', 'r2'], values: { muted: true }, base_revision: 3,
    }) // prettier-ignore
  })
  it('counts every press of a key, though the slices in view lag behind', async () => {
    const kits = useKits()
    await settled()
    kits.select(['r1'])
    const louder = () => kits.set((one) => ({ gain_db: one.gain_db + 1.5 }))
    const first = louder().then(() => expect(bodies.at(-1)?.values).toEqual({ gain_db: 1.5 }))
    slicesNow = { r1: { ...plain, gain_db: 1.5 } }
    await Promise.all([first, louder()])
    expect(bodies.at(-1)?.values).toEqual({ gain_db: 3 })
  })
  it('makes a part of the pattern', async () => {
    expect(await useKits().makePart('pattern', { times: 2 } as never)).toBe('p')
    expect(bodies.at(-1)).toMatchObject({ times: 2 })
  })
})
