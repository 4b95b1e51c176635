/** The beat map of the take in view: its beats, what is selected, edits, taps. */
import { defineStore } from 'pinia'
import { computed, ref, shallowRef, watch } from 'vue'
import { client, told, type Schemas } from './client'
import { useFolio } from './folio'
import { betweenBeats, nearest, onBeat, type BeatMapView, type Place } from './mapPlaces'
import { useNotes } from './notes'
import { useNotices } from './notices'
import { plural } from '../ui/format'

export type Ticks = Schemas['Ticks']
type BeatValues = Partial<Schemas['BeatValues']>

export const useBeats = defineStore('beats', () => {
  const folio = useFolio()
  const notes = useNotes()
  const notices = useNotices()
  const map = shallowRef<BeatMapView | null>(null)
  const ticks = shallowRef<Ticks | null>(null)
  const chosenMap = ref('')
  const selection = ref<Set<number>>(new Set())
  /** The onset between beats that is chosen, -1 for none. */
  const between = ref(-1)
  const taps = ref<number[]>([])
  /** The way to count that is being heard in place of the map's own. */
  const trying = ref('')
  /** Where a stretch was begun, and the beat that was last added to it. */
  let anchor = -1
  let reached = -1
  let asked = 0
  let tried = 0

  const mapsOfTake = computed(() =>
    Object.entries(folio.state?.beat_maps ?? {}).filter(([, m]) => notes.take && m.take === notes.takeId),
  )
  const id = computed(() => {
    const own = mapsOfTake.value.map(([key]) => key)
    return own.includes(chosenMap.value) ? chosenMap.value : (own.at(-1) ?? '')
  })
  const path = () => ({ folio_id: folio.id, map_id: id.value })
  const selected = computed(() => [...selection.value].sort((a, b) => a - b))
  const focus = computed(() => selected.value[0] ?? -1)
  /** What is selected was made steady, from end to end. */
  const selectedSteady = computed(() => {
    const ends = [selected.value[0], selected.value.at(-1)]
    const steady = (i: number) => map.value?.steady[i] ?? false
    const kept = (i: number) => steady(i) || (map.value?.pinned[i] ?? false) || ends.includes(i)
    return selected.value.some(steady) && selected.value.every(kept)
  })
  const place = computed<Place | null>(() => {
    if (between.value >= 0) return betweenBeats(between.value)
    return focus.value >= 0 ? onBeat(focus.value) : null
  })
  const reading = computed(() =>
    folio.running.find(
      (j) => ['beats', 'align', 'lay'].includes(j.kind) && j.title.includes(`“${notes.take?.name}”`),
    ),
  )
  const grid = computed(() =>
    map.value ? { time_s: map.value.time_s, bar: map.value.bar, beat: map.value.beat } : null,
  )

  async function load() {
    const turn = ++asked
    if (!id.value) {
      map.value = ticks.value = null
      return
    }
    try {
      const params = { path: path() }
      const [found, clicks] = await Promise.all([
        told(client.GET('/api/folios/{folio_id}/beat-maps/{map_id}', { params })),
        told(client.GET('/api/folios/{folio_id}/beat-maps/{map_id}/ticks', { params })),
      ])
      if (turn !== asked) return
      map.value = found
      ticks.value = clicks
      trying.value = ''
      const last = found.time_s.length
      const gone = selected.value.some((i) => i >= last) || anchor >= last
      if (gone || between.value >= found.between.time_s.length) select([])
    } catch (error) {
      notices.tellProblem(error)
    }
  }
  watch([id, () => (id.value ? folio.state?.revision : 0)], () => void load(), { immediate: true })
  watch(id, () => select([]))

  function select(beats: number[], add = false) {
    selection.value = new Set(add ? [...selection.value, ...beats] : beats)
    between.value = -1
    anchor = reached = beats.at(-1) ?? -1
  }
  function selectPlace(at: Place) {
    select(at.beat === null ? [] : [at.beat])
    between.value = at.between ?? -1
  }
  /** From the beat where the stretch was begun to this one. */
  function selectTo(beat: number) {
    const from = anchor < 0 ? beat : anchor
    const [first, last] = [Math.min(from, beat), Math.max(from, beat)]
    select(Array.from({ length: last - first + 1 }, (_, i) => first + i))
    anchor = from
    reached = beat
  }
  /** The stretch made so many beats longer or shorter, at the end where it was last changed. */
  function extend(by: number) {
    const next = reached + by
    if (reached >= 0 && next >= 0 && next < (map.value?.time_s.length ?? 0)) selectTo(next)
  }
  /** The beat nearest to a moment. */
  const near = (moment: number) => nearest(map.value?.time_s ?? [], moment)

  /** In which channels of the take in view beats are heard. */
  const channels = ref<Schemas['AskBeats']['channels']>('sum')
  watch(
    () => notes.takeId,
    () => (channels.value = 'sum'),
  )
  const isStereo = computed(() => (notes.take?.facts.channels ?? 1) > 1)
  /** Has the beats of the take in view found, or even ones laid on it. */
  async function find(evenBpm: number | null = null) {
    const body = { take: notes.takeId, even_bpm: evenBpm, channels: channels.value } as Schemas['AskBeats']
    const params = { path: { folio_id: folio.id } }
    await folio.change(() => told(client.POST('/api/folios/{folio_id}/beat-maps', { params, body })))
  }
  /** Scores that can be laid on the take in view. */
  const scores = computed(() =>
    Object.entries(folio.state?.takes ?? {}).filter(([, take]) => take.kind === 'midi'),
  )
  async function align(score: string) {
    const params = { path: { folio_id: folio.id } }
    const body = { score, take: notes.takeId }
    await folio.change(() => told(client.POST('/api/folios/{folio_id}/beat-maps/align', { params, body })))
  }
  /** The score's voices, as the map has laid them on the recording. */
  const voices = computed(() =>
    Object.entries(folio.state?.parts ?? {}).filter(([, part]) => part.beat_map === id.value),
  )
  /** Mutes these voices or lets them sound; those that do so already stay. */
  async function mute(chosen: typeof voices.value, muted: boolean) {
    for (const [key, part] of chosen) if (part.muted !== muted) await notes.setPart({ muted }, key)
  }
  /** Mutes the score's strict performance and lets the aligned one sound, or the other way round. */
  async function compareStrict() {
    const score = map.value?.score
    const parts = Object.entries(folio.state?.parts ?? {})
    const strict = parts.filter(([, p]) => score && p.take === score && !p.beat_map)
    if (!voices.value.length || !strict.length)
      return notices.tell('Both performances of the score are needed.')
    const hearStrict = voices.value.some(([, p]) => !p.muted)
    await mute(voices.value, hearStrict)
    await mute(strict, !hearStrict)
    notices.tell(hearStrict ? 'The strict performance is heard.' : 'The aligned performance is heard.')
  }
  async function edit(action: string, values: BeatValues = {}, beats = selected.value) {
    const params = { path: path() }
    return folio.change(() =>
      told(
        client.POST('/api/folios/{folio_id}/beat-maps/{map_id}/edits', {
          params,
          body: { action, beats, values, base_revision: folio.base },
        }),
      ),
    )
  }
  /** Pins a place at a moment. */
  function put(at: Place, time_s: number) {
    if (at.beat !== null) return edit('move', { time_s }, [at.beat])
    return edit('move between', { between: [at.between ?? 0], time_s }, [])
  }
  /** Pins where something is written to end, by beats and the share of the way to the next one. */
  const putEnd = (place: number, time_s: number) => edit('pin at', { place, time_s }, [])
  /** Pins a place where it is, or lets it go. */
  function pin(at: Place, pinned: boolean) {
    const action = pinned ? 'pin' : 'release'
    if (at.beat !== null) return edit(action, {}, [at.beat])
    return edit(`${action} between`, { between: [at.between ?? 0] }, [])
  }
  /** Has what lies between the pins around a place heard anew: beats, or what the score writes there. */
  async function reread(at: Place) {
    if (!map.value?.score) return edit('re-read', {}, [at.beat ?? 0])
    const between = map.value.between
    const place = at.beat ?? between.beat[at.between ?? 0] + between.share[at.between ?? 0]
    const params = { path: path() }
    const body = { place }
    await folio.change(() =>
      told(client.POST('/api/folios/{folio_id}/beat-maps/{map_id}/lay', { params, body })),
    )
  }
  async function rule() {
    const params = { path: path() }
    const body = () => ({ base_revision: folio.base })
    await folio.change(() =>
      told(client.POST('/api/folios/{folio_id}/beat-maps/{map_id}/rule', { params, body: body() })),
    )
  }
  async function remove() {
    const params = { path: path(), query: { base_revision: folio.base } }
    await folio.change(() => told(client.DELETE('/api/folios/{folio_id}/beat-maps/{map_id}', { params })))
  }
  /** Hears another way to count: its click in place of the map's own; an empty name ends that. */
  async function tryCount(name: string) {
    const turn = ++tried
    const params = { path: path(), query: { runner_up: name } }
    try {
      const found = await told(client.GET('/api/folios/{folio_id}/beat-maps/{map_id}/ticks', { params }))
      if (turn !== tried) return
      ticks.value = found
      trying.value = name
    } catch (error) {
      notices.tellProblem(error)
    }
  }
  async function countSo(name: string) {
    const params = { path: path() }
    await folio.change(() =>
      told(
        client.POST('/api/folios/{folio_id}/beat-maps/{map_id}/runner-up', {
          params,
          body: { name, base_revision: folio.base },
        }),
      ),
    )
  }
  /** Taps along a passage become beats once they end. */
  async function keepTaps() {
    const tap_s = taps.value
    taps.value = []
    if (tap_s.length >= 3) await edit('tap', { tap_s }, [])
    else if (tap_s.length)
      notices.tell(`${plural(tap_s.length, 'tap')} cannot tell a tempo: tap at least three times.`)
  }

  return {
    map, ticks, scores, chosenMap, selection, selected, selectedSteady, focus, between, place, taps, trying, id, mapsOfTake, reading, grid,
    load, select, selectPlace, selectTo, put, putEnd, pin, reread, extend, near, find, channels, isStereo, align, voices, mute, compareStrict, edit, rule, remove, tryCount, countSo, keepTaps,
  } // prettier-ignore
})
