<script setup lang="ts">
/** A button for one action of the registry, with its key shown in a small frame. */
import { computed } from 'vue'
import { actions, keyFor, shownKey } from './shortcuts'

const props = defineProps<{
  action: string
  label?: string
  main?: boolean
  small?: boolean
  pressed?: boolean
}>()
const known = computed(() => actions.get(props.action))
const key = computed(() => keyFor(props.action))
const idle = computed(() => known.value?.when !== undefined && !known.value.when())
</script>

<template>
  <button
    class="act"
    :class="{ main, small }"
    type="button"
    :disabled="idle"
    :aria-pressed="pressed"
    :data-action="action"
    @click="known?.run()"
  >
    {{ label ?? known?.label }}<kbd v-if="key" aria-hidden="true">{{ shownKey(key) }}</kbd>
  </button>
</template>
