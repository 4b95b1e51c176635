<script setup lang="ts">
/** Hands a kit on: which files, at which tempo, how often, in which order; then its proof. */
import { ref } from 'vue'
import { client, told, type HandOn, type Schemas } from '../folio/client'
import { useFolio } from '../folio/folio'
import { useKits } from '../folio/kits'
import { useNotes } from '../folio/notes'
import { useNotices } from '../folio/notices'
import { openDialog } from './dialogs'
import { decibels } from './format'

type Format = Schemas['AskFiles']['formats'][0]
const FORMATS: [Format, string][] = [
  ['wav', 'Slices as WAV, and the loop with cue points'],
  ['sfz', 'SFZ instrument beside the WAV slices'],
  ['sf2', 'SoundFont 2 bank, 16 bit'],
  ['lanes', 'Drum notes by lane as MIDI'],
  ['csv', 'Table, CSV'],
  ['labels', 'Label text'],
]
const folio = useFolio()
const kits = useKits()
const notes = useNotes()
const notices = useNotices()
const chosen = ref<Format[]>(['wav', 'sfz', 'sf2'])
const bpm = ref<number | ''>('')
const times = ref(1)
const fromBar = ref<number | ''>('')
const toBar = ref<number | ''>('')
const shuffled = ref(false)
const seed = ref(1)
const busy = ref(false)
const made = ref<HandOn | null>(null)

const settings = () => ({
  bpm: bpm.value === '' ? null : bpm.value,
  times: times.value,
  from_bar: fromBar.value === '' ? null : fromBar.value,
  to_bar: toBar.value === '' ? null : toBar.value,
  shuffle_seed: shuffled.value ? seed.value : null,
})
async function write() {
  busy.value = true
  try {
    const path = { folio_id: folio.id, kit_id: kits.id }
    made.value = await told(
      client.POST('/api/folios/{folio_id}/kits/{kit_id}/hand-on', {
        params: { path },
        body: { ...settings(), formats: chosen.value } as Schemas['AskFiles'],
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
async function asPart() {
  const part = await kits.makePart('pattern', settings())
  if (!part) return
  openDialog.value = ''
  await notes.showPart(part)
}
</script>

<template>
  <div class="kit">
    <p class="soft">
      The slices, an instrument that plays them and the MIDI that plays the instrument, in one ZIP. The MIDI
      begins with a bar, ends with a bar and carries the tempo.
    </p>
    <h3>Files</h3>
    <label v-for="[id, words] in FORMATS" :key="id" class="line">
      <input v-model="chosen" type="checkbox" :value="id" /> {{ words }}
    </label>
    <h3>Pattern</h3>
    <div class="row">
      <label class="soft"
        >tempo
        <input v-model="bpm" class="field" type="number" min="20" max="400" step="0.01" placeholder="as is" />
      </label>
      <label class="soft"
        >bars
        <input
          v-model="fromBar"
          class="field"
          type="number"
          min="1"
          placeholder="first"
          aria-label="From bar"
        />
        to
        <input v-model="toBar" class="field" type="number" min="1" placeholder="last" aria-label="To bar" />
      </label>
      <label class="soft"
        >times <input v-model.number="times" class="field" type="number" min="1" max="64"
      /></label>
      <label class="soft"><input v-model="shuffled" type="checkbox" /> shuffled by seed</label>
      <input
        v-model.number="seed"
        class="field"
        type="number"
        min="0"
        :disabled="!shuffled"
        aria-label="Seed of the shuffle"
      />
    </div>
    <div class="row acts">
      <button
        type="button"
        class="act main"
        data-test="write-kit"
        :disabled="busy || !chosen.length"
        @click="write"
      >
        {{ busy ? 'Writing…' : 'Write' }}
      </button>
      <button type="button" class="act" @click="asPart">Only the pattern, as a part</button>
    </div>
    <section v-if="made?.proof" class="proof" aria-label="Proof">
      <h3>
        <span data-test="kit-proof">{{ made.proof.same ? 'The same' : 'Not the same' }}</span>
      </h3>
      <p class="figures">
        {{ made.name }}<br />
        {{ made.proof.notes }} notes, at most {{ made.proof.greatest_ms.toFixed(3) }} ms from their slices, by
        rounding to ticks<br />
        <template v-for="(db, form) in made.proof.zones_db" :key="form">
          {{ form }}: every slice alone within {{ decibels(db) }}; played by the MIDI
          {{ decibels(made.proof.whole_db[form]) }} from
          {{ made.proof.against === 'loop' ? 'the loop' : 'the pattern where its notes are heard' }}, which
          has {{ decibels(made.proof.against_db ?? 0) }}<br />
        </template>
      </p>
      <p v-for="remark in made.proof.remarks" :key="remark">{{ remark }}</p>
      <p class="soft">{{ made.told.words.join(' ') }}</p>
    </section>
  </div>
</template>

<style scoped>
.line {
  display: block;
  padding: 2px 0;
}
.row .field {
  width: 84px;
}
.acts {
  margin-top: 16px;
}
.proof {
  margin-top: 12px;
  border-top: 1px solid var(--rule);
}
</style>
