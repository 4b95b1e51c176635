<script setup lang="ts">
/** On the first run: the path in five steps, each ticked off as it is gone. */
import { computed, ref, watch } from 'vue'
import { useFolio } from '../folio/folio'
import { useNotes } from '../folio/notes'
import { usePlayer } from '../player/store'

const SEEN = 'stave-first-steps'
const folio = useFolio()
const notes = useNotes()
const player = usePlayer()
const shown = ref(localStorage.getItem(SEEN) === null)
const heard = ref(false)
watch(
  () => player.playing || notes.focus >= 0,
  (now) => now && (heard.value = true),
)
const handed = computed(() => folio.savedAt > 0 && localStorage.getItem('stave-handed') !== null)
const steps = computed(() => {
  const parts = Object.values(folio.state?.parts ?? {})
  return [
    {
      text: 'Bring a recording in: drop it anywhere.',
      done: Object.keys(folio.state?.takes ?? {}).length > 0,
    },
    { text: 'Read it, as one voice or many (R).', done: folio.readings.length > 0 },
    { text: 'Listen: click a note, walk with ← and →.', done: heard.value },
    { text: 'Set the doubt limit, accept (A), mend.', done: parts.length > 0 },
    { text: 'Hand it on (H), and see it proven.', done: handed.value },
  ]
})
function dismiss() {
  localStorage.setItem(SEEN, 'seen')
  shown.value = false
}
</script>

<template>
  <section v-if="shown" class="steps" aria-label="First steps">
    <ol>
      <li v-for="step in steps" :key="step.text" :class="{ done: step.done }">
        {{ step.text }} <span v-if="step.done" class="unseen">done</span>
      </li>
    </ol>
    <button type="button" class="act small" @click="dismiss">Put this away</button>
  </section>
</template>

<style scoped>
.steps {
  flex: none;
  display: flex;
  align-items: center;
  gap: 14px;
  padding: 5px 16px;
  background: var(--sunk);
  border-top: 1px solid var(--hairline);
  font-size: 12px;
}
ol {
  flex: 1;
  display: flex;
  flex-wrap: wrap;
  gap: 2px 22px;
  margin: 0;
  padding-left: 16px;
}
li {
  margin-left: 10px;
}
.done {
  color: var(--soft);
  text-decoration: line-through;
}
</style>
