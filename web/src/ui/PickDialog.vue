<script setup lang="ts">
import { ref } from 'vue'
import { useNotes } from '../folio/notes'
import { openDialog } from './dialogs'

const LINES = ['top', 'inner', 'bass', 'left hand', 'right hand']
const notes = useNotes()
const shorter = ref(120)
const quieter = ref(50)
const sure = ref(80)
const above = ref(12)
async function pick(rule: string, value = 0) {
  openDialog.value = ''
  await notes.pick(rule, value)
}
</script>

<template>
  <div class="rules">
    <form class="row" @submit.prevent="pick('shorter', shorter / 1000)">
      <label>shorter than <input v-model.number="shorter" class="field" type="number" min="1" /> ms</label>
      <button class="act" type="submit">Select</button>
    </form>
    <form class="row" @submit.prevent="pick('quieter', quieter)">
      <label
        >quieter than velocity <input v-model.number="quieter" class="field" type="number" min="1" max="127"
      /></label>
      <button class="act" type="submit">Select</button>
    </form>
    <form class="row" @submit.prevent="pick('doubtful', sure / 100)">
      <label
        >less sure than
        <input v-model.number="sure" class="field" type="number" min="1" max="100" /> hundredths</label
      >
      <button class="act" type="submit">Select</button>
    </form>
    <form class="row" @submit.prevent="pick('sounding with', above)">
      <label>
        begun with a note
        <input v-model.number="above" class="field" type="number" min="1" max="60" /> semitones lower
      </label>
      <button class="act" type="submit">Select</button>
    </form>
    <div class="row">
      <button v-for="line in LINES" :key="line" type="button" class="act" @click="pick(line)">
        The {{ line }}
      </button>
      <button type="button" class="act" @click="pick('ghosts')">Ghosts</button>
    </div>
    <div class="row">
      <button type="button" class="act" @click="pick('on the beat')">On the beat</button>
      <button type="button" class="act" @click="pick('between the beats')">Between the beats</button>
      <button type="button" class="act" @click="pick('all')">All</button>
      <button type="button" class="act" @click="(notes.invert(), (openDialog = ''))">The others</button>
    </div>
  </div>
</template>

<style scoped>
.row {
  margin: 8px 0;
}
.field {
  width: 80px;
}
</style>
