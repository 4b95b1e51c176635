<script setup lang="ts">
/** A reading without a single candidate: that it is so, and what else can be done with the take. */
import { computed } from 'vue'
import { useNotes } from '../../folio/notes'
import ActButton from '../../ui/ActButton.vue'
import { HOLDS } from '../../ui/kinds'
import CutInstead from './CutInstead.vue'

const notes = useNotes()
const seems = computed(() => notes.take?.facts.seems ?? null)
const struck = computed(() => seems.value?.name === 'drums' || seems.value?.name === 'mix')
</script>

<template>
  <section class="nothing" aria-label="Nothing heard">
    <p>
      No note was heard in this reading, not even a doubtful one.
      <template v-if="seems && struck">
        The take seems to hold {{ HOLDS[seems.name] }} ({{ seems.confidence.toFixed(2) }} sure).
      </template>
    </p>
    <CutInstead v-if="struck" main />
    <ActButton action="read" label="Read again" />
  </section>
</template>

<style scoped>
.nothing {
  display: flex;
  gap: 12px;
  align-items: center;
  padding: 16px;
  border-top: 1px solid var(--rule);
}
.nothing p {
  margin: 0;
  flex: 1;
}
</style>
