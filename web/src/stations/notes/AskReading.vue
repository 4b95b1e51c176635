<script setup lang="ts">
/** A take that has not been read: what it seems to hold, and the reading that suits it. */
import { computed } from 'vue'
import { useFolio } from '../../folio/folio'
import { useNotes } from '../../folio/notes'
import ActButton from '../../ui/ActButton.vue'
import CutInstead from './CutInstead.vue'
import { couldHold, HOLDS, limitsOf, SETTINGS_FOR } from '../../ui/kinds'

const notes = useNotes()
const folio = useFolio()
const seems = computed(() => notes.take?.facts.seems ?? null)
const rival = computed(() => (seems.value ? couldHold(seems.value) : null))
const proposed = computed(() => seems.value?.name ?? 'one')
const struck = computed(() => proposed.value === 'drums' || proposed.value === 'mix')
</script>

<template>
  <div class="unread">
    <p v-if="seems">
      This take seems to hold <b>{{ HOLDS[seems.name] }}</b> ({{ seems.confidence.toFixed(2) }} sure{{
        rival ? `, or ${HOLDS[rival.name]}: ${rival.share.toFixed(2)}` : ''
      }}). {{ limitsOf(seems) }} {{ SETTINGS_FOR[seems.name] }}
    </p>
    <p v-else>This take has not been read yet. Reading takes a second or two; nothing is changed by it.</p>
    <div class="ways">
      <CutInstead v-if="struck" :main="proposed === 'drums'" />
      <button
        type="button"
        class="act"
        :class="{ main: proposed === 'one' }"
        :disabled="folio.running.length > 0"
        @click="notes.read({ voices: 'one' })"
      >
        Read it as one voice
      </button>
      <button
        type="button"
        class="act"
        :class="{ main: proposed === 'many' || proposed === 'mix' }"
        :disabled="folio.running.length > 0"
        @click="notes.read({ voices: 'many' })"
      >
        Read it as many voices
      </button>
      <ActButton action="read" label="With settings" />
    </div>
  </div>
</template>

<style scoped>
.unread {
  display: flex;
  flex-wrap: wrap;
  gap: 12px;
  align-items: center;
  padding: 16px;
  border-top: 1px solid var(--rule);
}
.unread p {
  margin: 0;
  /* Where more ways to read it stand beside it, they take a line of their own. */
  flex: 1 1 320px;
}
.ways {
  display: flex;
  gap: 12px;
}
</style>
