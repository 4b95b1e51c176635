<script setup lang="ts">
/** The keys of the station in view, or of all, changeable; single keys can be turned off. */
import { computed, ref } from 'vue'
import { useRoute } from 'vue-router'
import { actions, actionsIn, changeKey, keyFor, keyOf, resetKeys, shownKey, singleKeys } from './shortcuts'

const route = useRoute()
const waiting = ref('')
const everywhere = ref(false)
const groups = computed(() => {
  const found = new Map<string, { id: string; label: string }[]>()
  for (const action of everywhere.value ? actions.values() : actionsIn(String(route.name))) {
    const list = found.get(action.group) ?? []
    list.push({ id: action.id, label: action.label })
    found.set(action.group, list)
  }
  return [...found]
})
function press(event: KeyboardEvent, id: string) {
  if (waiting.value !== id) return
  if (['Shift', 'Control', 'Alt', 'Meta'].includes(event.key)) return
  event.preventDefault()
  event.stopPropagation()
  changeKey(id, event.key === 'Backspace' ? '' : keyOf(event))
  waiting.value = ''
}
</script>

<template>
  <p class="row">
    <label><input v-model="singleKeys" type="checkbox" /> single keys act</label>
    <label><input v-model="everywhere" type="checkbox" /> keys of all stations</label>
    <button type="button" class="act small" @click="resetKeys()">All keys as they were</button>
    <span class="soft">Click a key to change it; Backspace takes it away.</span>
  </p>
  <div class="groups">
    <section v-for="[group, list] in groups" :key="group">
      <h3>{{ group }}</h3>
      <div v-for="action in list" :key="action.id" class="line">
        <span>{{ action.label }}</span>
        <button
          type="button"
          class="act small figures"
          :aria-label="`Key for ${action.label}`"
          @click="waiting = action.id"
          @keydown="press($event, action.id)"
        >
          {{ waiting === action.id ? 'press a key' : shownKey(keyFor(action.id)) || 'none' }}
        </button>
      </div>
    </section>
  </div>
</template>

<style scoped>
.groups {
  columns: 2;
  column-gap: 28px;
}
section {
  break-inside: avoid-column;
}
.line {
  display: flex;
  justify-content: space-between;
  align-items: center;
  padding: 1px 0;
}
</style>
