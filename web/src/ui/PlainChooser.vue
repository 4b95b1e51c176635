<script setup lang="ts">
/** One of several names in a line of text; a name alone that is shown is text. */
import { computed } from 'vue'

const props = defineProps<{
  choices: { id: string; name: string }[]
  shown: string
  label: string
  none: string
}>()
const emit = defineEmits<{ choose: [id: string] }>()
const known = computed(() => props.choices.find((choice) => choice.id === props.shown))
function choose(event: Event) {
  const chooser = event.target as HTMLSelectElement
  emit('choose', chooser.value)
  // Single keys belong to the station again.
  chooser.blur()
}
</script>

<template>
  <span v-if="known && choices.length === 1" :title="known.name">{{ known.name }}</span>
  <select v-else-if="choices.length" :value="shown" :aria-label="label" :title="label" @change="choose">
    <option v-if="!known" :value="shown">{{ none }}</option>
    <option v-for="choice in choices" :key="choice.id" :value="choice.id">{{ choice.name }}</option>
  </select>
</template>

<style scoped>
span,
select {
  min-width: 40px;
  overflow: hidden;
  text-overflow: ellipsis;
}
select {
  font: inherit;
  color: inherit;
  background: var(--panel);
  border: 0;
  border-bottom: 1px solid var(--rule);
  border-radius: 0;
  padding: 1px 2px;
  max-width: 230px;
  field-sizing: content;
  cursor: pointer;
}
</style>
