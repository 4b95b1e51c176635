/** What the player plays and how: kept in step with the folio. */
import { defineStore } from 'pinia'
import { computed, markRaw, ref, shallowRef, watch } from 'vue'
import { client, told, type Schemas } from '../folio/client'
import { useFolio } from '../folio/folio'
import { useNotes } from '../folio/notes'
import { useNotices } from '../folio/notices'
import { oneAtATime } from '../folio/oneAtATime'
import { LEFT_OUT } from '../folio/strokes'
import { useView } from '../folio/view'
import type { Grid, Ticks } from './Click'
import { Player, type Line } from './Player'

const NOTE_LEAD_S = 0.02
const LONGEST_AUDITION_S = 12
const PAUSE_MS = 200

export const usePlayer = defineStore('player', () => {
  const folio = useFolio()
  const notes = useNotes()
  const view = useView()
  const notices = useNotices()
  const player = shallowRef<Player | null>(null)
  const playing = ref(false)
  const position = ref(0)
  const loop = ref<[number, number] | null>(null)
  const balance = ref(0.5)
  const held = ref<number | null>(null)
  const click = ref(0)
  const subdivide = ref(1)
  const pace = ref(100)
  const folioGrid = shallowRef<Grid | null>(null)
  const heard = shallowRef<Schemas['Heard']['parts']>({})
  let frame = 0
  let waiting = 0
  let stale = true
  const kit = shallowRef<Line | null>(null)
  const ownGrid = shallowRef<Grid | null>(null)
  const ticks = shallowRef<Ticks | null>(null)
  let loading: Promise<void> = Promise.resolve()

  /** Bars and beats on the ruler and in the click: a loop or a beat map that is worked on has its own. */
  const grid = computed(() => ownGrid.value ?? folioGrid.value)
  const duration = computed(() => {
    const take = notes.take?.facts.duration_s ?? 0
    let last = 0
    for (const end of notes.strokes.offset) if (end > last) last = end
    return Math.max(take, last, 0.5)
  })

  function engine(): Player {
    if (!player.value) {
      const made = markRaw(new Player())
      made.onStop = () => {
        playing.value = false
        position.value = made.position()
      }
      player.value = made
      made.setBalance(held.value ?? balance.value)
      made.setClick(click.value)
    }
    return player.value
  }

  /** The list of events that is heard; before a reading is accepted, its candidates over the limit. */
  function lines(): Line[] {
    const parts = folio.state?.parts ?? {}
    if (kit.value) return [kit.value]
    if (notes.partId || !notes.candidates) {
      return Object.entries(heard.value)
        .filter(([id]) => parts[id])
        .map(([id, events]) => ({
          id,
          instrument: instrumentOf(parts[id].instrument),
          levelDb: parts[id].level_db,
          pan: parts[id].pan,
          notes: events as Line['notes'],
        }))
    }
    const s = notes.strokes
    const counted = [...s.onset.keys()].filter((i) => s.kind[i] !== LEFT_OUT)
    const sounding = counted.map((i) => ({
      onset_s: s.onset[i],
      offset_s: s.offset[i],
      pitch: s.pitch[i],
      velocity: s.velocity[i],
      bends: [] as [number, number][],
    }))
    return [{ id: 'reading', instrument: 'reed', levelDb: 0, pan: 0, notes: sounding }]
  }

  /** What plays a part: a built-in instrument, or the address of a kit with the state it is in. */
  function instrumentOf(id: string): string {
    const [kind, kitId, pace] = id.split(':')
    if (kind !== 'kit') return id
    const body = folio.state?.kits[kitId]
    if (!body) return 'bars'
    const query = pace ? `?pace=${pace}` : ''
    return `/api/folios/${folio.id}/kits/${kitId}/instrument${query}#${JSON.stringify(body)}`
  }
  /** While its slices are worked on, a kit plays its pattern in place of the notes; null ends that. */
  async function setKit(kitId: string | null, grid: Grid | null = null) {
    ownGrid.value = grid
    if (!kitId) {
      kit.value = null
      return
    }
    const params = { path: { folio_id: folio.id, kit_id: kitId } }
    const found = await told(client.GET('/api/folios/{folio_id}/kits/{kit_id}/pattern', { params }))
    const notes = found.onset_s.map((onset_s, i) => ({
      onset_s,
      offset_s: found.offset_s[i],
      pitch: found.key[i],
      velocity: 127,
      bends: [] as [number, number][],
    }))
    kit.value = { id: kitId, instrument: instrumentOf(`kit:${kitId}`), levelDb: 0, pan: 0, notes }
  }
  /** While a beat map is worked on, its bars and its click are heard; null ends that. */
  function setTime(grid: Grid | null, clicks: Ticks | null) {
    ownGrid.value = grid
    ticks.value = clicks
  }
  /** The slices alone, from the beginning or the loop's start. */
  async function playRebuilt() {
    balance.value = 1
    await play(loop.value ? loop.value[0] : 0)
  }
  async function hear(address: string) {
    playing.value = false
    await engine().hear(address)
  }

  async function prepare() {
    const take = notes.take
    await (stale ? loadHeard() : loading)
    await engine().setProgram({
      recordingUrl: take?.kind === 'audio' ? `/api/folios/${folio.id}/takes/${notes.takeId}/sound` : null,
      duration: take?.facts.duration_s ?? duration.value,
      lines: lines(),
      grid: grid.value,
      ticks: ticks.value,
    })
  }

  /** After a change the events are asked for anew, once the changes pause or when they are needed. */
  function staleHeard() {
    window.clearTimeout(waiting)
    stale = true
    waiting = window.setTimeout(() => void loadHeard().catch(notices.tellProblem), PAUSE_MS)
  }
  function loadHeard(): Promise<void> {
    window.clearTimeout(waiting)
    stale = false
    return (loading = fetchHeard())
  }
  const fetchHeard = oneAtATime(async () => {
    if (!folio.id) return
    const of = folio.id
    const params = { path: { folio_id: of }, query: { take: notes.takeId } }
    const answer = await told(client.GET('/api/folios/{folio_id}/parts/heard', { params }))
    if (of === folio.id) heard.value = answer.parts as Schemas['Heard']['parts']
  })

  const loadGrid = oneAtATime(async () => {
    if (!folio.id) return
    const query = { from_s: -2, to_s: Math.min(duration.value + 2, 8 * 3600), take: notes.takeId }
    const of = folio.id
    const params = { path: { folio_id: of }, query }
    const found = await told(client.GET('/api/folios/{folio_id}/time/grid', { params }))
    if (of === folio.id) folioGrid.value = found
  })

  const whatSounds = () => JSON.stringify([folio.id, folio.state?.parts, folio.state?.settings.places])
  watch([whatSounds, () => notes.takeId, duration], (now, before) => {
    staleHeard()
    if (now[1] !== before?.[1]) void loadHeard().catch(notices.tellProblem)
  })
  // An edit of notes moves no bar line: the grid is asked for only when time, place or length change.
  watch(
    [
      () => folio.id,
      duration,
      () => JSON.stringify(folio.state?.settings.tempo),
      () => folio.placeOf(notes.takeId),
    ],
    () => void loadGrid().catch(notices.tellProblem),
  )
  // What a part sounds like comes from the server; only a reading is heard as it is drawn.
  watch([heard, grid, ticks, kit, () => (notes.partId ? null : notes.strokes)], () => {
    if (player.value) void prepare().catch(notices.tellProblem)
  })
  watch([balance, held], () => player.value?.setBalance(held.value ?? balance.value))
  watch(click, (level) => player.value?.setClick(level))
  watch(subdivide, (count) => player.value && (player.value.click.subdivide = count))
  watch(pace, (percent) => {
    if (!player.value) return
    const was = playing.value
    const at = player.value.position()
    player.value.stop()
    player.value.pace = percent / 100
    if (was) void play(at)
  })
  watch(duration, (seconds) => view.setDuration(seconds))
  // Another take may end before the cursor, or within the loop; in another folio both mean nothing.
  watch([() => folio.id, duration], ([id, seconds], [before]) => {
    if (id !== before || (loop.value && loop.value[1] > seconds)) loop.value = null
    if (id !== before || position.value > seconds) position.value = 0
  })

  function follow() {
    if (!player.value || !playing.value) return
    position.value = player.value.position()
    if (position.value > view.to || position.value < view.from) {
      view.show(position.value - view.span * 0.08, position.value + view.span * 0.92)
    }
    frame = requestAnimationFrame(follow)
  }

  async function play(from = position.value) {
    try {
      const p = engine()
      p.pace = pace.value / 100
      p.click.subdivide = subdivide.value
      await prepare()
      const [first, last] = loop.value ?? [from >= duration.value - 0.02 ? 0 : from, duration.value]
      playing.value = true
      position.value = first
      await p.play(first, last, loop.value !== null)
      cancelAnimationFrame(frame)
      follow()
    } catch (error) {
      playing.value = false
      notices.tellProblem(error)
    }
  }
  function stop() {
    player.value?.stop()
    playing.value = false
  }
  function toggle() {
    if (playing.value) stop()
    else void play()
  }
  function seek(moment: number) {
    const at = Math.max(0, Math.min(moment, duration.value))
    position.value = at
    if (playing.value) void play(at)
  }
  /** A loop around the selection, or around what is in view. */
  function toggleLoop() {
    if (loop.value) loop.value = null
    else {
      const s = notes.strokes
      const chosen = notes.selectedIndices
      loop.value =
        chosen.length > 1
          ? [s.onset[chosen[0]], Math.max(...chosen.map((i) => s.offset[i]))]
          : [Math.max(0, view.from), Math.min(duration.value, view.to)]
    }
    if (playing.value) void play()
  }

  /** Hears the stroke `index`: the recording, the note, or both. */
  async function audition(index: number, what: 'recording' | 'note' | 'both') {
    const s = notes.strokes
    if (index < 0 || index >= s.onset.length) return
    playing.value = false
    const end = Math.min(s.offset[index], s.onset[index] + LONGEST_AUDITION_S)
    const exact = (heard.value[notes.partId] ?? []).find(
      (n) => Math.abs(n.onset_s - s.onset[index]) < 1e-6 && n.pitch === s.pitch[index],
    )
    const note = {
      onset_s: s.onset[index],
      offset_s: end,
      pitch: s.pitch[index],
      velocity: s.velocity[index],
      bends: (exact?.bends ?? []) as [number, number][],
    }
    try {
      if (notes.take) await prepare()
      const recorded: [number, number] | null =
        what === 'note' || notes.take?.kind !== 'audio'
          ? null
          : [Math.max(0, note.onset_s - NOTE_LEAD_S), end]
      await engine().audition(
        what === 'recording' ? null : note,
        { instrument: instrumentOf(notes.part?.instrument ?? 'reed') },
        recorded,
      )
    } catch (error) {
      notices.tellProblem(error)
    }
  }
  async function hearRecording(from: number, to: number) {
    await prepare()
    await engine().audition(null, { instrument: 'reed' }, [Math.max(0, from), to])
  }
  async function scrub(moment: number) {
    await prepare()
    await engine().scrub(moment)
  }

  return {
    playing, position, loop, balance, held, click, subdivide, pace, grid, heard, duration,
    play, stop, toggle, seek, toggleLoop, audition, hearRecording, scrub, loadHeard, loadGrid,
    setKit, setTime, playRebuilt, hear,
  } // prettier-ignore
})
