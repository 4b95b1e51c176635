<script setup lang="ts">
/** How the take is to be read; a new reading replaces nothing. */
import { computed, reactive, ref } from 'vue'
import type { Schemas } from '../folio/client'
import { useNotes } from '../folio/notes'
import { useView } from '../folio/view'
import { openDialog } from './dialogs'
import { clock, pitchName } from './format'

const notes = useNotes()
const view = useView()
const before = (notes.reading?.settings ?? {}) as Partial<Schemas['EngineSettings']>
const settings = reactive({ lowest: before.lowest ?? 23, highest: before.highest ?? 108 })
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
    character: character.value || null,
    tuning_cents: ownTuning.value ? tuning.value : null,
    listen: { ...listen, from_s: from, to_s: to },
  })
}
</script>

<template>
  <form class="grid" @submit.prevent="read">
    <label
      >the line is
      <select v-model="character" class="field">
        <option value="">decided by listening</option>
        <option value="struck">struck or plucked</option>
        <option value="sustained">sung, bowed or blown</option>
      </select>
    </label>
    <label
      >listen to
      <select v-model="listen.channels" class="field">
        <option value="sum">all channels</option>
        <option value="left">left</option>
        <option value="right">right</option>
        <option value="difference">the difference</option>
      </select>
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
        <option v-for="p in 86" :key="p" :value="p + 22">{{ pitchName(p + 22) }}</option>
      </select>
    </label>
    <label
      >highest pitch
      <select v-model.number="settings.highest" class="field">
        <option v-for="p in 86" :key="p" :value="p + 22">{{ pitchName(p + 22) }}</option>
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
.short {
  width: 70px;
}
.end {
  grid-column: 1 / -1;
  justify-content: space-between;
}
</style>
