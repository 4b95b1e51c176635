<script setup lang="ts">
/** The take in view, and which of its parts and readings is shown; another one comes in the same station. */
import { computed } from 'vue'
import { useFolio } from '../folio/folio'
import { useNotes } from '../folio/notes'
import PlainChooser from './PlainChooser.vue'

const folio = useFolio()
const notes = useNotes()
const takes = computed(() =>
  Object.entries(folio.state?.takes ?? {}).map(([id, take]) => ({ id, name: take.name })),
)
const parts = computed(() =>
  Object.entries(folio.state?.parts ?? {})
    .filter(([, part]) => part.take === notes.takeId)
    .map(([id, part]) => ({ id, name: `part “${part.name}”` })),
)
const readings = computed(() =>
  notes.readingsOfTake.map((r) => ({
    id: r.id,
    name: `${r.summary.voices === 'one' ? 'one voice' : 'many voices'}, reading ${r.number}`,
  })),
)
function show(id: string) {
  void (parts.value.some((part) => part.id === id) ? notes.showPart(id) : notes.showReading(id))
}
</script>

<template>
  <PlainChooser
    :choices="takes"
    :shown="notes.takeId"
    label="Take in view"
    none="no take"
    data-test="take"
    @choose="notes.showTake"
  />
  <PlainChooser
    :choices="[...parts, ...readings]"
    :shown="notes.partId || notes.readingId"
    label="Part or reading in view"
    none="choose what to see"
    data-test="shown"
    @choose="show"
  />
</template>
