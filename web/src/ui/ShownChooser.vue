<script setup lang="ts">
/** Which part or reading of the take is in view; another one is shown in its place. */
import { computed } from 'vue'
import { useFolio } from '../folio/folio'
import { useNotes } from '../folio/notes'

const folio = useFolio()
const notes = useNotes()
type Choice = { id: string; name: string; show: () => Promise<void> }
const choices = computed<Choice[]>(() => {
  const parts = Object.entries(folio.state?.parts ?? {}).filter(([, p]) => p.take === notes.takeId)
  return [
    ...parts.map(([id, p]) => ({ id, name: `part “${p.name}”`, show: () => notes.showPart(id) })),
    ...notes.readingsOfTake.map((r) => ({
      id: r.id,
      name: `${r.summary.voices === 'one' ? 'one voice' : 'many voices'}, reading ${r.number}`,
      show: () => notes.showReading(r.id),
    })),
  ]
})
const shown = computed(() => notes.partId || notes.readingId)
function show(event: Event) {
  const chooser = event.target as HTMLSelectElement
  void choices.value.find((choice) => choice.id === chooser.value)?.show()
  // Single keys belong to the station again.
  chooser.blur()
}
</script>

<template>
  <select
    v-if="choices.length > 1"
    class="chooser"
    :value="shown"
    aria-label="Part or reading in view"
    title="Show another part or reading of this take"
    data-test="shown"
    @change="show"
  >
    <option v-if="!shown" value="">choose what to see</option>
    <option v-for="choice in choices" :key="choice.id" :value="choice.id">{{ choice.name }}</option>
  </select>
  <span v-else>{{ choices.find((choice) => choice.id === shown)?.name ?? '' }}</span>
</template>
