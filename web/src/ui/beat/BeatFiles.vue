<script setup lang="ts">
/** Hands a map on: tempo map, click, parts, recording, tables; then its proof. */
import { computed, ref } from 'vue'
import { useBeats } from '../../folio/beats'
import { client, told, type Schemas } from '../../folio/client'
import { useFolio } from '../../folio/folio'
import { useNotices } from '../../folio/notices'

type Format = Schemas['AskMapFiles']['formats'][0]
const FORMATS: [Format, string][] = [
  ['map', 'Tempo map, MIDI'],
  ['click track', 'with the click as notes'],
  ['parts', 'with the parts'],
  ['click', 'Click, WAV as long as the recording'],
  ['bar', 'Recording that begins exactly on a bar, WAV'],
  ['straight', 'Recording straightened to a steady tempo, WAV'],
  ['score', 'The aligned score, MusicXML with the tempo of every beat'],
  ['csv', 'Beats, CSV'],
  ['labels', 'Beats and markers, label text'],
]
const beats = useBeats()
// Only what was laid on the recording has a score.
const offered = computed(() => FORMATS.filter(([id]) => id !== 'score' || beats.map?.score))
const folio = useFolio()
const notices = useNotices()
const chosen = ref<Format[]>(['map'])
const fromBarOne = ref(false)
const bpm = ref<number | ''>('')
const busy = ref(false)
const straightening = ref('')
const job = computed(() => folio.running.find((j) => j.id === straightening.value))
const made = ref<Schemas['HandOn'] | null>(null)

const path = () => ({ folio_id: folio.id, map_id: beats.id })

/** The job that has straightened the recording, null where it was stopped or failed. */
async function straightened(): Promise<string | null> {
  const asked = await told(
    client.POST('/api/folios/{folio_id}/beat-maps/{map_id}/straighten', {
      params: { path: path() },
      body: { bpm: bpm.value === '' ? null : bpm.value },
    }),
  )
  straightening.value = asked.jobs[0]
  const { id, state } = await folio.ended(asked.jobs[0])
  return state === 'done' ? id : null
}

async function write() {
  busy.value = true
  try {
    const steady = chosen.value.includes('straight') ? await straightened() : undefined
    if (steady === null) return
    made.value = await told(
      client.POST('/api/folios/{folio_id}/beat-maps/{map_id}/hand-on', {
        params: { path: path() },
        body: { formats: chosen.value, from_bar_one: fromBarOne.value, straightened: steady },
      }),
    )
    const link = document.createElement('a')
    link.href = `/api/folios/${folio.id}/hand-ons/${made.value.id}/file`
    link.download = made.value.name
    link.click()
  } catch (error) {
    notices.tellProblem(error)
  } finally {
    busy.value = false
  }
}
</script>

<template>
  <p class="soft">
    The MIDI file carries tempo and meters for the whole length and no empty track. Several files leave in one
    ZIP.
  </p>
  <label v-for="[id, words] in offered" :key="id" class="line">
    <input v-model="chosen" type="checkbox" :value="id" /> {{ words }}
  </label>
  <div class="row acts">
    <label class="soft"
      ><input v-model="fromBarOne" type="checkbox" /> the MIDI begins with the first bar</label
    >
    <label class="soft"
      >straightened to
      <input
        v-model="bpm"
        class="field"
        type="number"
        min="20"
        max="400"
        step="0.1"
        placeholder="its middle"
      />
      beats a minute</label
    >
  </div>
  <div class="row acts">
    <button
      type="button"
      class="act main"
      data-test="write-map"
      :disabled="busy || !chosen.length"
      @click="write"
    >
      {{ busy ? 'Writing…' : 'Write and prove' }}
    </button>
    <template v-if="job">
      <progress :value="job.progress" max="1" aria-label="Straightening" />
      <span class="figures">{{ Math.round(job.progress * 100) }} %</span>
      <button type="button" class="act small" @click="folio.stopJob(job.id)">Stop this</button>
    </template>
  </div>
  <section v-if="made?.proof" class="proof" aria-label="Proof">
    <h3>
      <span data-test="map-proof">{{ made.proof.same ? 'The same' : 'Not the same' }}</span>
    </h3>
    <p class="figures">{{ made.name }}</p>
    <p v-for="remark in made.proof.remarks" :key="remark">{{ remark }}</p>
    <p class="soft">{{ made.told.words.join(' ') }}</p>
  </section>
</template>

<style scoped>
.line {
  display: block;
  padding: 2px 0;
}
.field {
  width: 96px;
}
.acts {
  margin-top: 14px;
}
.proof {
  margin-top: 12px;
  border-top: 1px solid var(--rule);
}
</style>
