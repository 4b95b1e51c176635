<script setup lang="ts">
/** Takes that have what this one lacks, one press away. */
import { useFolio } from '../folio/folio'
import { useNotes } from '../folio/notes'

defineProps<{ takes: string[]; has: string }>()
const folio = useFolio()
const notes = useNotes()
</script>

<template>
  <p class="others">
    <span class="soft">Takes with {{ has }}:</span>
    <button v-for="id in takes" :key="id" type="button" class="act small" @click="notes.showTake(id)">
      {{ folio.state?.takes[id]?.name }}
    </button>
  </p>
</template>

<style scoped>
.others {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 6px;
  margin-top: 18px;
}
</style>
