<script setup lang="ts">
/** Tempo typed, tapped or proposed; meter; where bar 1 lies and what it is called. */
import { computed, onMounted, ref } from 'vue'
import { client, told, type FolioState, type Schemas } from '../folio/client'
import { useFolio } from '../folio/folio'
import { useNotes } from '../folio/notes'
import { useNotices } from '../folio/notices'
import { usePlayer } from '../player/store'
import { clock } from './format'

const folio = useFolio()
const notes = useNotes()
const player = usePlayer()
const notices = useNotices()
const tempo = computed(() => (folio.state as FolioState).settings.tempo)
const steady = computed(() => tempo.value.knots.length === 1)
const bpm = ref(steady.value ? tempo.value.lone_bpm : 0)
const anchor = computed(() => tempo.value.knots.find((k) => k.beat === 0) ?? tempo.value.knots[0])
/** Moments are those of the take that is shown; it may begin later than the folio. */
const place = computed(() => folio.placeOf(notes.takeId))
const shownDownbeat = () => Math.round((anchor.value.time_s - place.value) * 1e6) / 1e6
const downbeat = ref(shownDownbeat())
const begins = ref(place.value)
const bar = ref(tempo.value.first_bar_number)
const number = ref(tempo.value.first_bar_number)
const numerator = ref(tempo.value.meters[0].numerator)
const denominator = ref(tempo.value.meters[0].denominator)
const proposals = ref<Schemas['Proposal'][] | null>(null)
const taps = ref<number[]>([])
const tapped = ref<number | null>(null)
const LATE_MS = 2500

async function set(values: Partial<Schemas['TimeChange']>) {
  const body = () => ({ ...values, take: notes.takeId, base_revision: folio.base }) as Schemas['TimeChange']
  await folio.change(() =>
    told(client.PUT('/api/folios/{folio_id}/time', { params: { path: folio.path }, body: body() })),
  )
  if (steady.value) bpm.value = tempo.value.lone_bpm
  downbeat.value = shownDownbeat()
}
async function put(values: Partial<Schemas['Place']>) {
  await folio.putTake(notes.takeId, values)
  begins.value = place.value
  downbeat.value = shownDownbeat()
}
onMounted(async () => {
  if (!notes.partId && !notes.readingId) {
    proposals.value = []
    return
  }
  const query = notes.partId ? { part: notes.partId } : { reading: notes.readingId }
  proposals.value = await told(
    client.GET('/api/folios/{folio_id}/time/proposals', { params: { path: folio.path, query } }),
  ).catch((error) => (notices.tellProblem(error), []))
})
async function tap() {
  const now = performance.now()
  if (taps.value.length && now - taps.value[taps.value.length - 1] > LATE_MS) taps.value = []
  taps.value = [...taps.value, now].slice(-24)
  if (taps.value.length < 3) return
  const body = { tap_s: taps.value.map((t) => t / 1000) }
  const answer = await told(
    client.POST('/api/folios/{folio_id}/time/taps', { params: { path: folio.path }, body }),
  ).catch(() => null)
  tapped.value = answer?.bpm ?? null
}
</script>

<template>
  <div class="time">
    <form class="row" @submit.prevent="set({ bpm })">
      <label
        >tempo
        <input v-model.number="bpm" class="field" type="number" min="4" max="960" step="any" data-test="bpm"
      /></label>
      <button class="act main" type="submit">Set</button>
      <button type="button" class="act" @click="set({ bpm: bpm / 2 })">Half</button>
      <button type="button" class="act" @click="set({ bpm: bpm * 2 })">Double</button>
      <span v-if="!steady" class="soft"
        >A tempo map of {{ tempo.knots.length }} knots rules; typing a tempo replaces it.</span
      >
    </form>
    <h3>Proposed from the notes</h3>
    <p v-if="proposals === null" role="status">Measuring…</p>
    <p v-else-if="!proposals.length" class="soft">At least four notes are needed for a proposal.</p>
    <div v-else class="row">
      <button
        v-for="p in proposals"
        :key="p.bpm"
        type="button"
        class="act"
        data-test="proposal"
        @click="set({ bpm: p.bpm, downbeat_s: p.downbeat_s })"
      >
        <span class="figures">{{ p.bpm }}</span> <span class="soft figures">{{ p.share.toFixed(2) }}</span>
      </button>
    </div>
    <h3>Tapped</h3>
    <div class="row">
      <button type="button" class="act" @pointerdown="tap" @keydown.space.prevent="!$event.repeat && tap()">
        Tap here
      </button>
      <span class="figures">{{ tapped ?? '–' }}</span>
      <button type="button" class="act" :disabled="!tapped" @click="set({ bpm: tapped! })">Use it</button>
    </div>
    <h3>Meter and bar 1</h3>
    <form class="row" @submit.prevent="set({ numerator, denominator })">
      <label
        >meter
        <input
          v-model.number="numerator"
          class="field short"
          type="number"
          min="1"
          max="64"
          aria-label="Beats in a bar"
      /></label>
      /
      <select v-model.number="denominator" class="field" aria-label="Note value of a beat">
        <option v-for="n in [2, 4, 8, 16]" :key="n" :value="n">{{ n }}</option>
      </select>
      <button class="act" type="submit">Set</button>
    </form>
    <form class="row" @submit.prevent="set({ downbeat_s: downbeat, first_bar_number: number })">
      <label
        >the first downbeat lies at
        <input v-model.number="downbeat" class="field" type="number" step="any" /> s</label
      >
      <label>and is bar <input v-model.number="number" class="field short" type="number" /></label>
      <button class="act" type="submit">Set</button>
      <button type="button" class="act" @click="set({ downbeat_s: player.position })">
        At the cursor, {{ clock(player.position) }}
      </button>
    </form>
    <template v-if="notes.take">
      <h3>Where “{{ notes.take.name }}” lies</h3>
      <form class="row" @submit.prevent="put({ begins_s: begins })">
        <label
          >it begins
          <input v-model.number="begins" class="field" type="number" min="0" step="any" data-test="begins" />
          s into the folio</label
        >
        <button class="act" type="submit">Set</button>
        <button
          v-if="notes.take.facts.hints?.timeline_s"
          type="button"
          class="act"
          @click="put({ begins_s: notes.take.facts.hints.timeline_s })"
        >
          As its file says, {{ clock(notes.take.facts.hints.timeline_s, 2) }}
        </button>
      </form>
      <form class="row" @submit.prevent="put({ bar, moment_s: player.position })">
        <label
          >the cursor, {{ clock(player.position) }}, is the first beat of bar
          <input v-model.number="bar" class="field short" type="number" data-test="place-bar"
        /></label>
        <button class="act" type="submit" data-test="put-at-bar">Put it there</button>
      </form>
    </template>
    <p class="soft">
      The tempo is written into the file. Changing it moves the grid, never what was recorded.
    </p>
  </div>
</template>

<style scoped>
.field {
  width: 92px;
}
.short {
  width: 62px;
}
.row {
  margin: 6px 0;
}
</style>
