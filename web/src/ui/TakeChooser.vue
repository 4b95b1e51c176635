<script setup lang="ts">
/** The take in view; another one is shown in the same station. */
import { computed } from 'vue'
import { useFolio } from '../folio/folio'
import { useNotes } from '../folio/notes'

const folio = useFolio()
const notes = useNotes()
const takes = computed(() => Object.entries(folio.state?.takes ?? {}))
function show(event: Event) {
  const chooser = event.target as HTMLSelectElement
  void notes.showTake(chooser.value)
  // Single keys belong to the station again.
  chooser.blur()
}
</script>

<template>
  <select
    v-if="takes.length > 1"
    class="chooser"
    :value="notes.takeId"
    aria-label="Take in view"
    title="Show another take here"
    data-test="take"
    @change="show"
  >
    <option v-if="!notes.take" :value="notes.takeId">no take</option>
    <option v-for="[id, take] in takes" :key="id" :value="id">{{ take.name }}</option>
  </select>
  <span v-else>{{ notes.take?.name }}</span>
</template>
