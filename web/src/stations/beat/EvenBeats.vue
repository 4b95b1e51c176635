<script setup lang="ts">
/** Lays even beats on the take in view, to be tapped over, pinned, moved. */
import { ref } from 'vue'
import { useBeats } from '../../folio/beats'

const beats = useBeats()
const bpm = ref(90)
</script>

<template>
  <form class="row" @submit.prevent="beats.find(bpm)">
    <span class="soft">or, where nobody keeps time for the ears to find,</span>
    <button type="submit" class="act" data-test="lay-even">Lay even beats</button>
    <label class="soft"
      >at
      <input
        v-model.number="bpm"
        class="field"
        type="number"
        min="20"
        max="300"
        step="any"
        required
        aria-label="Even beats a minute"
      />
      bpm</label
    >
    <span class="soft">and tap over them (V) or pin them (P).</span>
  </form>
</template>

<style scoped>
.row {
  flex-wrap: wrap;
  gap: 6px;
}
.field {
  width: 80px;
}
</style>
