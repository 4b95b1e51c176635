<script setup lang="ts">
/** Lays a score that was brought in on the take in view. */
import { computed, ref } from 'vue'
import { useBeats } from '../../folio/beats'

defineProps<{ small?: boolean }>()
const beats = useBeats()
const chosen = ref('')
const score = computed(() => chosen.value || (beats.scores[0]?.[0] ?? ''))
</script>

<template>
  <form v-if="beats.scores.length" class="row" :class="{ small }" @submit.prevent="beats.align(score)">
    <p v-if="!small" class="soft">
      With its score, every written note gets its moment in the recording, and the beats go through them.
    </p>
    <label class="soft"
      >score
      <select
        :value="score"
        class="field"
        aria-label="Score"
        @change="chosen = ($event.target as HTMLSelectElement).value"
      >
        <option v-for="[id, take] in beats.scores" :key="id" :value="id">{{ take.name }}</option>
      </select></label
    >
    <button type="submit" class="act" :class="{ small }" data-test="lay-score">Lay it on the take</button>
  </form>
  <p v-else-if="!small" class="soft">
    With a score among the takes, MIDI or MusicXML, it can be laid on this one.
  </p>
</template>

<style scoped>
.row {
  gap: 6px;
}
.row:not(.small) {
  margin-top: 14px;
}
p {
  flex-basis: 100%;
}
.field {
  max-width: 150px;
}
</style>
