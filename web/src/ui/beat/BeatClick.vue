<script setup lang="ts">
/** How the click sounds from the selected beat on. */
import { ref } from 'vue'
import { useBeats } from '../../folio/beats'
import { openDialog } from '../dialogs'

const beats = useBeats()
const now = [...(beats.map?.clicks ?? [])].reverse().find((c) => c.beat <= beats.focus)
const subdivision = ref(now?.subdivision ?? 1)
const accent = ref(now?.accent ?? true)
const sound = ref(now?.sound ?? 'wood')
const level = ref(now?.level_db ?? 0)
const inHolds = ref(now?.in_holds ?? 'rest')
async function keep() {
  const values = {
    subdivision: subdivision.value,
    accent: accent.value,
    sound: sound.value,
    level_db: level.value,
    in_holds: inHolds.value,
  }
  if (await beats.edit('click', values, [beats.focus])) openDialog.value = ''
}
</script>

<template>
  <form @submit.prevent="keep">
    <div class="row">
      <label class="soft"
        >clicks a beat <input v-model.number="subdivision" class="field" type="number" min="1" max="8"
      /></label>
      <label class="soft"><input v-model="accent" type="checkbox" /> first beat accented</label>
    </div>
    <div class="row">
      <label class="soft"
        >sound
        <select v-model="sound" class="field">
          <option>wood</option>
          <option>tick</option>
          <option>bell</option>
        </select></label
      >
      <label class="soft"
        >level
        <input v-model.number="level" class="field" type="number" min="-60" max="6" step="1" /> dB</label
      >
      <label class="soft"
        >in holds it
        <select v-model="inHolds" class="field">
          <option value="rest">rests</option>
          <option value="count">counts</option>
        </select></label
      >
    </div>
    <button type="submit" class="act main">From here</button>
  </form>
</template>

<style scoped>
.row {
  margin-bottom: 10px;
}
input[type='number'] {
  width: 70px;
}
</style>
