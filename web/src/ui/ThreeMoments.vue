<script setup lang="ts">
/** When the noise of a sung note begins, when its pitch stands, when it is let go: each can be pinned. */
import { useBeats } from '../folio/beats'
import type { Told } from '../folio/mapPlaces'
import { clock } from './format'

const { told } = defineProps<{ told: Told }>()
const emit = defineEmits<{ pin: [time_s: number] }>()
const beats = useBeats()
const BEGINS = ['noise begins', 'pitch stands']
const LET_GO = 2
function pinEnd() {
  if (told.endsAt !== null) void beats.putEnd(told.endsAt, told.moments[LET_GO] ?? 0)
}
</script>

<template>
  <template v-for="(name, k) in BEGINS" :key="name">
    <div v-if="told.moments[k] != null" class="finding">
      <span>{{ name }}</span>
      <button
        type="button"
        class="act small"
        title="Pin its beginning there"
        @click="emit('pin', told.moments[k] ?? 0)"
      >
        {{ clock(told.moments[k] ?? 0, 3) }}
      </button>
    </div>
  </template>
  <div v-if="told.moments[LET_GO] != null" class="finding">
    <span>let go</span>
    <button
      v-if="told.endsAt !== null"
      type="button"
      class="act small"
      title="Pin its written end there"
      @click="pinEnd"
    >
      {{ clock(told.moments[LET_GO] ?? 0, 3) }}
    </button>
    <span v-else>{{ clock(told.moments[LET_GO] ?? 0, 3) }}</span>
  </div>
</template>
