<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { useBeats } from '../folio/beats'
import { useFolio } from '../folio/folio'
import { useKits } from '../folio/kits'
import { useNotes } from '../folio/notes'
import ActButton from './ActButton.vue'

const beats = useBeats()
const folio = useFolio()
const kits = useKits()
const notes = useNotes()
const takes = computed(() => Object.keys(folio.state?.takes ?? {}).length)
const parts = computed(() => Object.entries(folio.state?.parts ?? {}))
const list = ref<HTMLElement>()
watch(
  () => notes.partId,
  () => list.value?.querySelector('[aria-current=true]')?.scrollIntoView({ block: 'nearest' }),
  { flush: 'post' },
)
</script>

<template>
  <nav class="stations" aria-label="Stations">
    <RouterLink :to="{ name: 'takes' }"
      >Takes <span class="figures">{{ takes }}</span></RouterLink
    >
    <RouterLink :to="{ name: 'beat' }"
      >Beat <span class="figures">{{ beats.map?.time_s.length || '' }}</span></RouterLink
    >
    <RouterLink :to="{ name: 'notes' }"
      >Notes <span class="figures">{{ notes.counted || '' }}</span></RouterLink
    >
    <RouterLink :to="{ name: 'slices' }"
      >Slices <span class="figures">{{ kits.playable.length || '' }}</span></RouterLink
    >
    <div v-if="parts.length" ref="list" class="parts">
      <h2>Parts</h2>
      <button
        v-for="[id, part] in parts"
        :key="id"
        type="button"
        class="part"
        :aria-current="id === notes.partId"
        :title="part.name"
        @click="(notes.showPart(id), $router.push({ name: 'notes' }))"
      >
        <span>{{ part.name }}</span><span v-if="part.muted" class="soft">muted</span>
      </button>
    </div>
    <span class="push" />
    <div class="foot">
      <ActButton action="time" small />
      <ActButton action="theme" small label="Night" />
      <ActButton action="help" small />
    </div>
  </nav>
</template>

<style scoped>
.stations {
  width: 108px;
  flex: none;
  display: flex;
  flex-direction: column;
  border-right: 1px solid var(--hairline);
  padding-top: 10px;
}
/* Many parts scroll; what stands under them stays in reach. */
.parts {
  min-height: 0;
  display: flex;
  flex-direction: column;
  overflow-y: auto;
}
.parts .part {
  flex: none;
}
a,
.part {
  display: flex;
  justify-content: space-between;
  gap: 6px;
  padding: 7px 12px 7px 14px;
  border: 0;
  border-left: 3px solid transparent;
  background: none;
  color: var(--soft);
  text-decoration: none;
  font-weight: 600;
  text-align: left;
  cursor: pointer;
}
.part {
  font-weight: 400;
  padding-block: 4px;
  flex-wrap: wrap;
  gap: 0 6px;
}
/* Long names take two lines: parts of one take often differ in their last word alone. */
.part span:first-child {
  display: -webkit-box;
  -webkit-box-orient: vertical;
  -webkit-line-clamp: 2;
  overflow: hidden;
  overflow-wrap: anywhere;
}
a.router-link-active,
.part[aria-current='true'] {
  border-left-color: var(--ink);
  background: var(--paper);
  color: var(--text);
}
h2 {
  font: 600 12px var(--text-face);
  color: var(--soft);
  padding: 14px 14px 4px 17px;
}
.figures {
  font-size: 12px;
  font-weight: 400;
}
.push {
  flex: 1;
}
.foot {
  display: flex;
  flex-direction: column;
  gap: 5px;
  padding: 10px 8px;
}
.foot .act {
  justify-content: space-between;
}
</style>
