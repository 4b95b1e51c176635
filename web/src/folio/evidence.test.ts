import { answerWith } from '../../testServer'
import { createPinia, setActivePinia } from 'pinia'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { nextTick } from 'vue'
import { useEvidence } from './evidence'
import { useFolio } from './folio'
import { useNotes } from './notes'

const part = {
  name: 'Verse', instrument: 'reed', octave: 0, take: 't', reading: '', least_confidence: 0.5, split: 0.5,
  shortest_s: 0.05, left_out: 0,
} // prettier-ignore
const take = {
  name: 'verse',
  kind: 'audio',
  facts: { rate: 44100, frames: 44100, duration_s: 1, loudest_db: -6 },
}
const note = (id: string, pitch: number) => ({
  id, onset_s: 0.2, offset_s: 0.8, pitch, velocity: 80, curve: [], origin: null, touched: false, line: '',
}) // prettier-ignore
const findings = {
  key: { name: 'A minor', share: 0.9 }, other_key: null, scale: null, other_scale: null, pitches: [], keys: {},
  strokes: { onset_s: [0.2], low: [57], high: [64], size: [2] },
} // prettier-ignore

let asked: string[] = []
let bodies: unknown[] = []
let parts: Record<string, unknown> = {}

async function answer(request: Request | string): Promise<Response> {
  const url = new URL(typeof request === 'string' ? request : request.url, 'http://here/')
  const path = url.pathname.replace('/api/folios/f', '')
  asked.push(path + url.search)
  if (typeof request !== 'string' && request.method !== 'GET') bodies.push(await request.json())
  const said: Record<string, unknown> = {
    '': {
      id: 'f',
      revision: 1,
      changed_at: 1,
      takes: { t: take },
      parts,
      settings: {},
      note_doubts: { sure: 0.8, worth_walking: 0.12 },
    },
    '/readings': [],
    '/jobs': [],
    '/parts/p/notes': [note('a', 57), note('b', 64)],
    '/parts/q/notes': [note('b', 64)],
    '/parts/p/send': { part: 'q' },
    '/evidence/part/p': findings,
    '/evidence/part/q': { ...findings, key: { name: 'E minor', share: 0.5 } },
    '/evidence/take/t/partials': [{ number: 1, pitch: 64, level_db: -20, explained_by: 57 }],
  }
  const json = { headers: { 'content-type': 'application/json' } }
  return path in said
    ? new Response(JSON.stringify(said[path]), json)
    : new Response(JSON.stringify({ title: 'nothing here' }), { ...json, status: 404 })
}

beforeEach(async () => {
  asked = []
  bodies = []
  parts = { p: part }
  answerWith(answer)
  vi.stubGlobal('EventSource', class { close() { return undefined } }) // prettier-ignore
  vi.stubGlobal('window', { setTimeout, clearTimeout, dispatchEvent: () => true })
  setActivePinia(createPinia())
  await useFolio().open('f')
})
afterEach(() => vi.unstubAllGlobals())

describe('evidence of what is shown', () => {
  it('calls pitches by the key, and the keys of drums by their drum', async () => {
    const evidence = useEvidence()
    evidence.findings = { ...findings, companions: [], names: Array<string>(12).fill('X') } as never
    expect([evidence.drums, evidence.nameOf(38)]).toEqual([false, 'X2'])
    evidence.findings = { ...findings, keys: { 38: 'snare' } } as never
    await nextTick()
    expect([evidence.drums, evidence.nameOf(38), evidence.nameOf(39)]).toEqual([true, 'snare', 'E♭2'])
  })
  it('asks once for the findings of a part, when what is shown rests', async () => {
    const evidence = useEvidence()
    await useNotes().showPart('p')
    await vi.waitFor(() => expect(evidence.findings?.key?.name).toBe('A minor'))
    expect(asked.filter((path) => path.startsWith('/evidence/part'))).toHaveLength(1)
  })
  it('forgets at once what was found in something else', async () => {
    const evidence = useEvidence()
    await useNotes().showPart('p')
    await vi.waitFor(() => expect(evidence.findings).not.toBeNull())
    const coming = useNotes().showReading('')
    expect(evidence.findings).toBeNull()
    await coming
  })
  it('asks for the partials of one selected note and forgets them for several', async () => {
    const evidence = useEvidence()
    const notes = useNotes()
    await notes.showPart('p')
    notes.select(['b'])
    await vi.waitFor(() => expect(evidence.partials).toHaveLength(1))
    const query = asked.find((path) => path.includes('/partials'))
    expect(query).toContain('pitch=64')
    expect(query).toContain('part=p')
    notes.select(['a', 'b'])
    await vi.waitFor(() => expect(evidence.partials).toHaveLength(0))
  })
  it('gives the selection a part of its own and shows it', async () => {
    const evidence = useEvidence()
    const notes = useNotes()
    await notes.showPart('p')
    notes.select(['b'])
    parts = { p: part, q: { ...part, name: 'Verse, top' } }
    await evidence.send('Verse, top')
    expect(bodies).toEqual([{ ids: ['b'], name: 'Verse, top', base_revision: 1 }])
    expect(notes.partId).toBe('q')
    expect(notes.notes.map((n) => n.id)).toEqual(['b'])
  })
  it('has a spectrum only of a recording, and only when it is shown', async () => {
    const evidence = useEvidence()
    await useNotes().showPart('p')
    expect(evidence.spectrum).toBeNull()
    evidence.shown = true
    await nextTick()
    expect(evidence.spectrum).not.toBeNull()
  })
})
