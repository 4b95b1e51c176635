<script setup lang="ts">
/** The voices of the score that was laid on the recording, muted one by one or together. */
import { computed } from 'vue'
import { useBeats } from '../../folio/beats'
import ActButton from '../../ui/ActButton.vue'

const beats = useBeats()
const silent = computed(() => beats.voices.every(([, part]) => part.muted))
</script>

<template>
  <template v-if="beats.voices.length">
    <h3>The score’s voices</h3>
    <div v-for="voice in beats.voices" :key="voice[0]" class="finding">
      <span>{{ voice[1].name }}</span>
      <button
        type="button"
        class="act small"
        :aria-pressed="voice[1].muted"
        :aria-label="`Mute ${voice[1].name}`"
        @click="beats.mute([voice], !voice[1].muted)"
      >
        Mute
      </button>
    </div>
    <div class="row">
      <button
        v-if="beats.voices.length > 1"
        type="button"
        class="act small"
        data-test="mute-voices"
        @click="beats.mute(beats.voices, !silent)"
      >
        {{ silent ? 'Hear them all' : 'Mute them all' }}
      </button>
      <ActButton action="beat-strict" small />
    </div>
  </template>
</template>

<style scoped>
.finding {
  align-items: center;
}
.finding .act {
  font-family: var(--text-face);
}
</style>
