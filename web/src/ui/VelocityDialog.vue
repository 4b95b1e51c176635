<script setup lang="ts">
import { ref } from 'vue'
import { useNotes } from '../folio/notes'
import { openDialog } from './dialogs'
import { plural } from './format'

const notes = useNotes()
const value = ref(90)
const scale = ref(110)
const even = ref(50)
async function edit(values: { value?: number; scale?: number; even?: number }) {
  openDialog.value = ''
  await notes.edit('velocity', values)
}
</script>

<template>
  <p>{{ plural(notes.selectedNotes().length, 'note') }} selected.</p>
  <form class="row" @submit.prevent="edit({ value })">
    <label>all to <input v-model.number="value" class="field" type="number" min="1" max="127" /></label>
    <button class="act" type="submit">Set</button>
  </form>
  <form class="row" @submit.prevent="edit({ scale: scale / 100 })">
    <label>scaled to <input v-model.number="scale" class="field" type="number" min="1" max="400" /> %</label>
    <button class="act" type="submit">Scale</button>
  </form>
  <form class="row" @submit.prevent="edit({ even: even / 100 })">
    <label
      >evened by <input v-model.number="even" class="field" type="number" min="0" max="100" /> % towards their
      mean</label
    >
    <button class="act" type="submit">Even</button>
  </form>
</template>

<style scoped>
.row {
  margin: 8px 0;
}
.field {
  width: 80px;
}
</style>
