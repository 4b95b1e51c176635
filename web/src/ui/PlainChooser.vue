<script setup lang="ts">
/** One of several names in a line of text; a name alone is text. */
defineProps<{ choices: { id: string; name: string }[]; shown: string; label: string; none: string }>()
const emit = defineEmits<{ choose: [id: string] }>()
function choose(event: Event) {
  const chooser = event.target as HTMLSelectElement
  emit('choose', chooser.value)
  // Single keys belong to the station again.
  chooser.blur()
}
</script>

<template>
  <select v-if="choices.length > 1" :value="shown" :aria-label="label" :title="label" @change="choose">
    <option v-if="!choices.some((choice) => choice.id === shown)" :value="shown">{{ none }}</option>
    <option v-for="choice in choices" :key="choice.id" :value="choice.id">{{ choice.name }}</option>
  </select>
  <span v-else>{{ choices.find((choice) => choice.id === shown)?.name }}</span>
</template>

<style scoped>
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
  text-overflow: ellipsis;
  cursor: pointer;
}
</style>
