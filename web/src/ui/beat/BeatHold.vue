<script setup lang="ts">
/** A beat held on purpose: what the score writes, and letting it go. */
import { computed, ref } from 'vue'
import { useBeats } from '../../folio/beats'
import { openDialog } from '../dialogs'

const beats = useBeats()
const hold = computed(() => beats.map?.holds.find((h) => h.beat === beats.focus) ?? null)
const written = ref(hold.value?.written_beats ?? 1)
const real = computed(() => {
  const times = beats.map?.time_s ?? []
  return (times[beats.focus + 1] ?? NaN) - (times[beats.focus] ?? NaN)
})
async function keep(written_beats: number | null) {
  if (await beats.edit('hold', { written_beats }, [beats.focus])) openDialog.value = ''
}
</script>

<template>
  <p class="soft">
    It lasts {{ real.toFixed(2) }} s in the recording. A held beat is left out of the tempo curve, nothing is
    smoothed across it, and the click rests or counts in it.
  </p>
  <form class="row" @submit.prevent="keep(written)">
    <label class="soft"
      >written as
      <input v-model.number="written" class="field" type="number" min="1" max="32" autofocus /> beats</label
    >
    <button type="submit" class="act main">Hold it</button>
    <button v-if="hold" type="button" class="act" @click="keep(null)">Let it go</button>
  </form>
</template>

<style scoped>
.field {
  width: 70px;
}
</style>
