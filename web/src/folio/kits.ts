/** The kit of the take in view: its slices, what is selected, thresholds tried live, edits. */
import { defineStore } from 'pinia'
import { computed, ref, shallowRef, watch } from 'vue'
import { client, told, type Schemas } from './client'
import { useFolio } from './folio'
import { laneOf, type HitLane } from './hitLanes'
import { useNotes } from './notes'
import { useNotices } from './notices'
import { oneAtATime } from './oneAtATime'

export type SliceBody = Omit<Schemas['Slice'], 'settings'> & { settings: Schemas['SliceSettings'] }
export type KitView = Omit<Schemas['KitView'], 'slices'> & { slices: SliceBody[] }
export type Thresholds = Schemas['Thresholds']
type SliceValues = Partial<Schemas['SliceValues']>

/** Thresholds that have not moved for so long rest. */
export const RESTS_MS = 250
const LEAD = 'lead'
const UNTOUCHED: Schemas['SliceSettings'] = {
  gain_db: 0, fade_s: 0, reversed: false, muted: false, end: 'next',
  drums: null, key: null, take: '', first_frame: 0, last_frame: 0,
} // prettier-ignore

/** Slices that nothing was done to come without settings. */
function whole(found: Schemas['KitView']): KitView {
  for (const piece of found.slices) piece.settings ??= UNTOUCHED
  return found as KitView
}

export const useKits = defineStore('kits', () => {
  const folio = useFolio()
  const notes = useNotes()
  const notices = useNotices()
  const kit = shallowRef<KitView | null>(null)
  const nulled = shallowRef<Schemas['Null'] | null>(null)
  /** What parts make of the kit. */
  const made = shallowRef<Schemas['PartsOfKit'] | null>(null)
  const selection = ref<Set<string>>(new Set())
  /** The drum whose lane was selected as a whole; empty when slices were selected one by one. */
  const lane = ref('')
  const playing = ref(false)
  const pads = ref(false)
  const tried = shallowRef<Thresholds | null>(null)
  let keeping = 0
  let nullWaiting = 0
  let partsWaiting = 0
  let nullTurn = 0

  const id = computed(
    () =>
      Object.entries(folio.state?.kits ?? {}).find(([, k]) => notes.take && k.take === notes.takeId)?.[0] ??
      '',
  )
  const path = () => ({ folio_id: folio.id, kit_id: id.value })
  const slices = computed(() => kit.value?.slices ?? [])
  /** Slices that can be chosen and played: the lead before the first cut is none. */
  const playable = computed(() => slices.value.filter((s) => s.id !== LEAD))
  const focus = computed(() => slices.value.find((s) => selection.value.has(s.id)) ?? null)
  const place = computed(() => playable.value.findIndex((s) => s.id === focus.value?.id))
  const doubts = computed(() => {
    const ids = new Set(kit.value?.doubts)
    return slices.value.filter((s) => ids.has(s.id))
  })
  const reading = computed(() =>
    folio.running.find((j) => j.kind === 'hits' && j.title.includes(`“${notes.take?.name}”`)),
  )

  const ask = () =>
    tried.value
      ? client.POST('/api/folios/{folio_id}/kits/{kit_id}/try', {
          params: { path: path() },
          body: tried.value,
        })
      : client.GET('/api/folios/{folio_id}/kits/{kit_id}', { params: { path: path() } })

  const load = oneAtATime(async () => {
    const of = id.value
    try {
      const found = of ? await told<unknown>(ask()) : null
      if (of === id.value) kit.value = found ? whole(found as Schemas['KitView']) : null
    } catch (error) {
      notices.tellProblem(error)
    }
  })
  function askNull() {
    window.clearTimeout(nullWaiting)
    nulled.value = null
    nullTurn++
    nullWaiting = window.setTimeout(() => void loadNull().catch(notices.tellProblem), RESTS_MS)
  }
  /** Asked for at rest: of thousands of slices it takes a while. */
  function askParts() {
    window.clearTimeout(partsWaiting)
    partsWaiting = window.setTimeout(() => void loadParts().catch(notices.tellProblem), RESTS_MS)
  }
  const loadParts = oneAtATime(async () => {
    const of = id.value
    const params = { path: path() }
    const found = of ? await told(client.GET('/api/folios/{folio_id}/kits/{kit_id}/parts', { params })) : null
    if (of === id.value) made.value = found
  })
  const loadNull = oneAtATime(async () => {
    const turn = nullTurn
    if (!id.value) return
    const params = { path: path() }
    const { data } = await client.GET('/api/folios/{folio_id}/kits/{kit_id}/null', { params })
    // An answer about cuts that are no longer these says nothing.
    if (turn === nullTurn) nulled.value = (data ?? null) as Schemas['Null'] | null
  })
  watch(
    [
      id,
      () => JSON.stringify(folio.state?.kits[id.value] ?? null),
      // Where no tempo is told of a loop, the folio's bars are its own.
      () => JSON.stringify(folio.state?.settings.tempo),
      () => folio.placeOf(notes.takeId),
      // Slices may play another take’s sound.
      () => Object.keys(folio.state?.takes ?? {}).join(),
    ],
    ([now], before) => {
      // Thresholds that still move outlast what is kept meanwhile.
      if (!keeping || now !== before?.[0]) tried.value = null
      void load()
      askNull()
      askParts()
    },
    { immediate: true },
  )
  // What is edited in its parts meanwhile is asked for when the station opens.
  watch(() => Object.keys(folio.state?.parts ?? {}).join(), askParts)

  function select(ids: string[], add = false) {
    selection.value = new Set(add ? [...selection.value, ...ids] : ids)
    lane.value = ''
  }
  /** All slices with hits in a lane; ghosts are snares. */
  function selectLane(of: HitLane) {
    const found = playable.value.filter((s) => s.strikes.some((k) => laneOf(k) === of))
    select(found.map((s) => s.id))
    lane.value = found.length ? (of === 'ghost' ? 'snare' : of) : ''
  }
  /** The selected slices are this drum; of a whole lane only its own drum changes its name. */
  async function nameDrum(drum: string) {
    if (!lane.value) return edit('drums', { drums: [drum] })
    await edit('rename', { was: lane.value, drums: [drum] })
    lane.value = drum
  }
  /** Has the take's hits heard and cuts it; what was done by hand to a kit that there is stays. */
  async function cut(channels: Schemas['AskHits']['channels'] = 'sum') {
    const body = { take: notes.takeId, channels } as Schemas['AskHits']
    await folio.change(() =>
      told(client.POST('/api/folios/{folio_id}/kits', { params: { path: { folio_id: folio.id } }, body })),
    )
  }
  function tryThresholds(values: Thresholds) {
    tried.value = { ...tried.value, ...values }
    void load()
  }
  /** Keeps the thresholds, those that a key moves once they rest: held down, it is one step of the history. */
  function keepThresholds(restsMs = 0) {
    const values = tried.value
    if (!values) return
    const params = { path: path() }
    window.clearTimeout(keeping)
    keeping = window.setTimeout(() => {
      keeping = 0
      void change(values, params).then((made) => {
        if (tried.value !== values) return
        tried.value = null
        // What was refused is no longer shown.
        if (!made) void load()
      })
    }, restsMs)
  }
  async function change(values: Partial<Schemas['KitChange']>, params = { path: path() }) {
    return folio.change(() =>
      told(
        client.PATCH('/api/folios/{folio_id}/kits/{kit_id}', {
          params,
          body: { ...values, base_revision: folio.base } as Schemas['KitChange'],
        }),
      ),
    )
  }
  async function edit(
    action: string,
    values: SliceValues | (() => SliceValues) = {},
    ids = [...selection.value],
  ) {
    const params = { path: path() }
    return folio.change(() =>
      told(
        client.POST('/api/folios/{folio_id}/kits/{kit_id}/edits', {
          params,
          body: {
            action,
            ids,
            values: values instanceof Function ? values() : values,
            base_revision: folio.base,
          },
        }),
      ),
    )
  }
  /** Changes the selected slices by what the first of them is by then: a key held down counts every time. */
  async function set(values: (one: Schemas['SliceSettings']) => SliceValues) {
    const first = focus.value?.id
    const of = id.value
    if (first) await edit('set', () => values(folio.state?.kits[of]?.slices[first] ?? UNTOUCHED))
  }
  async function giveTempo() {
    const params = { path: path() }
    return folio.change(() =>
      told(
        client.POST('/api/folios/{folio_id}/kits/{kit_id}/tempo', {
          params,
          body: { which: 0, base_revision: folio.base } as Schemas['UseTempo'],
        }),
      ),
    )
  }
  async function setTempo(values: Partial<Schemas['UseTempo']>) {
    const params = { path: path() }
    return folio.change(() =>
      told(
        client.PUT('/api/folios/{folio_id}/kits/{kit_id}/tempo', {
          params,
          body: {
            which: kit.value?.kit.tempo ?? 0,
            ...values,
            base_revision: folio.base,
          } as Schemas['UseTempo'],
        }),
      ),
    )
  }
  /** Makes a part of the pattern or of the drums; answers its id. */
  async function makePart(what: 'pattern' | 'drums', values: Partial<Schemas['AskPattern']> = {}) {
    const params = { path: path() }
    const body = () => ({ times: 1, ...values, base_revision: folio.base }) as Schemas['AskPattern']
    const made = await folio.change(() =>
      told(
        what === 'drums'
          ? client.POST('/api/folios/{folio_id}/kits/{kit_id}/drums', { params, body: body() })
          : client.POST('/api/folios/{folio_id}/kits/{kit_id}/pattern', { params, body: body() }),
      ),
    )
    return made?.part ?? ''
  }
  /** Takes the kit out of the folio; answers the names of the parts that nothing plays without it. */
  async function remove() {
    const params = { path: path(), query: { base_revision: folio.base } }
    const answer = await folio.change(() =>
      told(client.DELETE('/api/folios/{folio_id}/kits/{kit_id}', { params })),
    )
    return answer?.silent
  }
  /** Brings a part of drums in step with the kit; what a hand has touched in it stays. */
  async function bringInStep(part_id: string) {
    const params = { path: { ...path(), part_id } }
    const body = () => ({ base_revision: folio.base })
    await folio.change(() =>
      told(client.POST('/api/folios/{folio_id}/kits/{kit_id}/drums/{part_id}', { params, body: body() })),
    )
    await loadParts()
  }
  /** Where a slice is heard as it plays. */
  const addressOf = (sliceId: string) => `/api/folios/${folio.id}/kits/${id.value}/slices/${sliceId}/sound`

  return {
    kit, nulled, made, selection, playing, pads, tried, id, slices, playable, focus, place, doubts, reading,
    lane, load, askParts, select, selectLane, nameDrum, cut, tryThresholds, keepThresholds, change, edit, set, setTempo, giveTempo, makePart, bringInStep, remove, addressOf,
  } // prettier-ignore
})
