<script setup lang="ts">
import { useNotes } from '../../folio/notes'
import AskReading from './AskReading.vue'
import DoubtLimit from './DoubtLimit.vue'
import NoteLanes from './NoteLanes.vue'
import NothingHeard from './NothingHeard.vue'
import NotesMargin from './NotesMargin.vue'
import StationEmpty from '../../ui/StationEmpty.vue'

const notes = useNotes()
</script>

<template>
  <main class="station" aria-label="Notes">
    <template v-if="notes.take || notes.partId">
      <NoteLanes />
      <NothingHeard v-if="notes.candidates?.confidence.length === 0 && !notes.partId" />
      <DoubtLimit v-else-if="notes.candidates" />
      <AskReading v-else-if="notes.take?.kind === 'audio'" />
    </template>
    <StationEmpty v-else />
  </main>
  <NotesMargin v-if="notes.take || notes.partId" />
</template>
