<script setup lang="ts">
/** Lays even beats on the take in view, to be tapped over, pinned, moved. */
import { ref } from 'vue'
import { useBeats } from '../../folio/beats'

const beats = useBeats()
const bpm = ref(90)
</script>

<template>
  <form class="even" @submit.prevent="beats.find(bpm)">
    <p class="soft">Where nobody keeps time, even beats are laid on it, tapped over (V) and pinned (P).</p>
    <button type="submit" class="act" data-test="lay-even">Lay even beats</button>
    <label class="soft">
      at
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
      bpm
    </label>
  </form>
</template>

<style scoped>
.even {
  margin-top: 14px;
}
.even .act {
  margin-right: 8px;
}
.field {
  width: 80px;
}
</style>
