<script setup lang="ts">
/** How the take is to be read; a new reading replaces nothing. */
import { computed, reactive, ref } from 'vue'
import type { Schemas } from '../folio/client'
import { useFolio } from '../folio/folio'
import { useNotes } from '../folio/notes'
import { useView } from '../folio/view'
import ChannelSelect from './ChannelSelect.vue'
import { openDialog } from './dialogs'
import { clock, pitchName } from './format'
import { CHARACTERS } from './kinds'

const notes = useNotes()
const view = useView()
const before = (notes.reading?.settings ?? {}) as Partial<Schemas['EngineSettings']>
const folio = useFolio()
const settings = reactive({ lowest: before.lowest ?? 21, highest: before.highest ?? 108 })
const voices = ref(before.voices ?? (notes.take?.facts.seems?.name === 'one' ? 'one' : notes.take?.facts.seems ? 'many' : 'one')) // prettier-ignore
const follow = ref(before.follow ?? 'all')
const followPart = ref(before.follow_part ?? '')
const withoutDrums = ref(before.without_drums ?? notes.take?.facts.seems?.name === 'mix')
const pedal = ref(before.pedal ?? false)
const lines = computed(() => Object.entries(folio.state?.parts ?? {}))
const character = ref<'' | 'struck' | 'sustained'>(before.character ?? '')
const ownTuning = ref(before.tuning_cents != null)
const tuning = ref(before.tuning_cents ?? Math.round(notes.reading?.summary.tuning_cents ?? 0))
const listen = reactive({ channels: 'sum' as const, low_cut_hz: 0, high_cut_hz: 0, ...(before.listen ?? {}) })
const stretch = ref<'all' | 'view'>('all')
const inView = computed(() => [Math.max(0, view.from), Math.min(notes.take?.facts.duration_s ?? 0, view.to)])

async function read() {
  openDialog.value = ''
  const [from, to] = stretch.value === 'view' ? inView.value : [0, 0]
  await notes.read({
    ...settings,
    voices: voices.value,
    follow: follow.value,
    follow_part: follow.value === 'line' ? followPart.value : '',
    without_drums: withoutDrums.value,
    pedal: pedal.value,
    character: character.value || null,
    tuning_cents: ownTuning.value ? tuning.value : null,
    listen: { ...listen, from_s: from, to_s: to },
  })
}
</script>

<template>
  <form class="grid" @submit.prevent="read">
    <label
      >read as
      <select v-model="voices" class="field" data-test="voices">
        <option value="one">one voice</option>
        <option value="many">many voices</option>
      </select>
    </label>
    <label
      >follow
      <select v-model="follow" class="field">
        <option value="all">all notes</option>
        <option value="highest">the highest line</option>
        <option value="lowest">the lowest line</option>
        <option value="line" :disabled="!lines.length">the line of a part, drawn or hummed</option>
      </select>
    </label>
    <label v-if="follow === 'line'"
      >the line of
      <select v-model="followPart" class="field" required>
        <option v-for="[id, p] in lines" :key="id" :value="id">{{ p.name }}</option>
      </select>
    </label>
    <label class="check"
      ><input v-model="withoutDrums" type="checkbox" /> leave drums’ strokes out of account</label
    >
    <label class="check"><input v-model="pedal" type="checkbox" /> read the sustain pedal as pedal</label>
    <label
      >the line is
      <select v-model="character" class="field">
        <option value="">decided by listening</option>
        <option v-for="(words, c) in CHARACTERS" :key="c" :value="c">{{ words }}</option>
      </select>
    </label>
    <label
      >listen to
      <ChannelSelect v-model="listen.channels" />
    </label>
    <label
      >stretch
      <select v-model="stretch" class="field">
        <option value="all">the whole take</option>
        <option value="view">what is in view, {{ clock(inView[0], 1) }} to {{ clock(inView[1], 1) }}</option>
      </select>
    </label>
    <label
      >lowest pitch
      <select v-model.number="settings.lowest" class="field">
        <option v-for="p in 88" :key="p" :value="p + 20">{{ pitchName(p + 20) }}</option>
      </select>
    </label>
    <label
      >highest pitch
      <select v-model.number="settings.highest" class="field">
        <option v-for="p in 88" :key="p" :value="p + 20">{{ pitchName(p + 20) }}</option>
      </select>
    </label>
    <label
      >tuning
      <span class="row">
        <select v-model="ownTuning" class="field">
          <option :value="false">measured</option>
          <option :value="true">given</option>
        </select>
        <input
          v-if="ownTuning"
          v-model.number="tuning"
          class="field short"
          type="number"
          min="-100"
          max="100"
          aria-label="Cents from A 440"
        />
        <span v-if="ownTuning" class="soft">ct</span>
      </span>
    </label>
    <label
      >leave out below, Hz
      <input v-model.number="listen.low_cut_hz" class="field" type="number" min="0" max="20000"
    /></label>
    <label
      >leave out above, Hz
      <input v-model.number="listen.high_cut_hz" class="field" type="number" min="0" max="20000"
    /></label>
    <div class="row end">
      <span class="soft">A new reading replaces nothing: earlier ones and parts stay.</span>
      <button class="act main" type="submit">Read</button>
    </div>
  </form>
</template>

<style scoped>
.grid {
  display: grid;
  grid-template-columns: repeat(3, 1fr);
  gap: 12px 16px;
}
label {
  display: flex;
  flex-direction: column;
  gap: 3px;
  color: var(--soft);
  font-size: 12px;
}
.field {
  color: var(--text);
  font-size: 13px;
}
.check {
  flex-direction: row;
  align-items: center;
  align-self: end;
  gap: 6px;
}
.short {
  width: 70px;
}
.end {
  grid-column: 1 / -1;
  justify-content: space-between;
}
</style>
