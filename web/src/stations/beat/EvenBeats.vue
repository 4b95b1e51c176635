<script setup lang="ts">
/** Lays even beats on the take in view, to be tapped over, pinned, moved. */
import { computed, ref } from 'vue'
import { useBeats } from '../../folio/beats'
import { useKits } from '../../folio/kits'

const USUAL_BPM = 90

const beats = useBeats()
const kits = useKits()
const typed = ref<number | null>(null)
/** A loop that was cut has told its tempo. */
const bpm = computed({
  get: () => typed.value ?? Number((kits.kit?.tempo?.bpm ?? USUAL_BPM).toFixed(2)),
  set: (value) => (typed.value = value),
})
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
