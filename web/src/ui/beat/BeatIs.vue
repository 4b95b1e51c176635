<script setup lang="ts">
/** Says which beat of which bar the selected one is. */
import { ref } from 'vue'
import { useBeats } from '../../folio/beats'
import { openDialog } from '../dialogs'

const beats = useBeats()
const bar = ref(beats.map?.bar[beats.focus] ?? 1)
const beat = ref(beats.map?.beat[beats.focus] ?? 1)
async function say() {
  const done = await beats.edit('number', { bar: bar.value, beat: beat.value }, [beats.focus])
  if (done) openDialog.value = ''
}
</script>

<template>
  <form @submit.prevent="say">
    <p class="soft">Bar lines and numbers before and after it follow.</p>
    <div class="row">
      <label class="soft"
        >beat <input v-model.number="beat" class="field" type="number" min="1" max="32"
      /></label>
      <label class="soft"
        >of bar <input v-model.number="bar" class="field" type="number" data-test="bar-number" autofocus
      /></label>
      <button type="submit" class="act main">Number it</button>
    </div>
  </form>
</template>

<style scoped>
.field {
  width: 84px;
}
</style>
