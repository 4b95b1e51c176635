<script setup lang="ts">
/** In which channels of a take something is heard. */
import type { Schemas } from '../folio/client'

const chosen = defineModel<Schemas['AskHits']['channels']>({ required: true })
</script>

<template>
  <select v-model="chosen" class="field">
    <option value="sum">all channels</option>
    <option value="left">left</option>
    <option value="right">right</option>
    <option value="difference">the difference</option>
  </select>
</template>
