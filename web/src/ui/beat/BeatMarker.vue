<script setup lang="ts">
/** A name at the cursor's moment. */
import { ref } from 'vue'
import { useBeats } from '../../folio/beats'
import { usePlayer } from '../../player/store'
import { openDialog } from '../dialogs'
import { clock } from '../format'

const beats = useBeats()
const player = usePlayer()
const at = player.position
const near = beats.map?.markers.find((m) => Math.abs(m.time_s - at) < 0.2)
const name = ref(near?.name ?? '')
async function keep(text: string) {
  if (await beats.edit('mark', { time_s: near?.time_s ?? at, name: text.trim() }, [])) openDialog.value = ''
}
</script>

<template>
  <form class="row" @submit.prevent="keep(name)">
    <label class="soft"
      >at {{ clock(near?.time_s ?? at) }}
      <input v-model="name" class="field" maxlength="60" placeholder="verse, chorus, entry …" autofocus
    /></label>
    <button type="submit" class="act main" :disabled="!name.trim()">Mark it</button>
    <button v-if="near" type="button" class="act" @click="keep('')">Take it away</button>
  </form>
</template>
