<script setup lang="ts">
/** When the noise of a sung note begins, when its pitch stands, when it is let go: each can be pinned. */
import { clock } from './format'

defineProps<{ moments: (number | null)[] }>()
const emit = defineEmits<{ pin: [time_s: number] }>()
const NAMES = ['noise begins', 'pitch stands', 'let go']
</script>

<template>
  <template v-for="(name, k) in NAMES" :key="name">
    <div v-if="moments[k] != null" class="finding">
      <span>{{ name }}</span>
      <button type="button" class="act small" title="Pin it there" @click="emit('pin', moments[k] ?? 0)">
        {{ clock(moments[k] ?? 0, 3) }}
      </button>
    </div>
  </template>
</template>
