<script setup lang="ts">
import { useFolio } from '../../folio/folio'
import { useNotes } from '../../folio/notes'
import DoubtLimit from './DoubtLimit.vue'
import NoteLanes from './NoteLanes.vue'
import NotesMargin from './NotesMargin.vue'
import StationEmpty from '../../ui/StationEmpty.vue'
import ActButton from '../../ui/ActButton.vue'

const notes = useNotes()
const folio = useFolio()
</script>

<template>
  <main class="station" aria-label="Notes">
    <template v-if="notes.take || notes.partId">
      <NoteLanes />
      <DoubtLimit v-if="notes.candidates" />
      <div v-else-if="notes.take?.kind === 'audio'" class="ask">
        <p>This take has not been read yet. Reading takes a second or two; nothing is changed by it.</p>
        <button type="button" class="act main" :disabled="folio.running.length > 0" @click="notes.read()">
          Read it as one voice
        </button>
        <ActButton action="read" label="With settings" />
      </div>
    </template>
    <StationEmpty v-else />
  </main>
  <NotesMargin v-if="notes.take || notes.partId" />
</template>

<style scoped>
.station {
  flex: 1;
  min-width: 0;
  display: flex;
  flex-direction: column;
}
.ask {
  display: flex;
  gap: 12px;
  align-items: center;
  padding: 16px;
  border-top: 1px solid var(--rule);
}
.ask p {
  margin: 0;
}
</style>
