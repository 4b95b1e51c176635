<script setup lang="ts">
import { computed, onMounted, ref, watch } from 'vue'
import { client, told, type Schemas } from '../folio/client'
import { useFolio } from '../folio/folio'
import { useNotices } from '../folio/notices'
import ActButton from './ActButton.vue'
import { plural } from './format'

const folio = useFolio()
const notices = useNotices()
const list = ref<Schemas['HistoryEntry'][]>([])
async function load() {
  const params = { path: folio.path }
  list.value = await told(client.GET('/api/folios/{folio_id}/history', { params })).catch(
    (e) => (notices.tellProblem(e), []),
  )
}
onMounted(load)
watch(() => folio.state?.revision, load)
/** The change up to which everything is made, 0 for none. */
const last = computed(() => list.value.find((entry) => !entry.undone)?.id ?? 0)
async function goTo(id: number) {
  const back = id < last.value
  const params = { path: { ...folio.path, change_id: id } }
  const answer = await folio.change(() =>
    told(client.POST('/api/folios/{folio_id}/history/{change_id}', { params })),
  )
  if (answer) notices.tell(`${plural(answer.steps, 'change')} ${back ? 'undone' : 'redone'}.`)
}
const when = (seconds: number) => new Date(seconds * 1000).toLocaleTimeString()
</script>

<template>
  <div class="row"><ActButton action="undo" /><ActButton action="redo" /></div>
  <p v-if="!list.length" class="soft">Nothing has been changed yet.</p>
  <template v-else>
    <p class="soft">Press a change to go back, or forward, to where it had just been made.</p>
    <ol class="history">
      <li v-for="entry in list" :key="entry.id" :class="{ soft: entry.undone }">
        <button
          type="button"
          class="entry"
          :aria-current="entry.id === last ? 'step' : undefined"
          :disabled="entry.id === last"
          @click="goTo(entry.id)"
        >
          <span class="figures">{{ when(entry.at) }}</span> {{ entry.label }}
          <em v-if="entry.undone">undone</em>
          <em v-if="entry.id === last">here</em>
        </button>
      </li>
      <li>
        <button type="button" class="entry" :disabled="last === 0" @click="goTo(0)">
          before all of these <em v-if="last === 0">here</em>
        </button>
      </li>
    </ol>
  </template>
</template>

<style scoped>
.history {
  list-style: none;
  padding: 0;
  max-height: 50vh;
  overflow: auto;
}
li {
  border-bottom: 1px solid var(--hairline);
}
.entry {
  font: inherit;
  color: inherit;
  background: none;
  border: 0;
  width: 100%;
  padding: 4px;
  text-align: left;
  cursor: pointer;
}
.entry:hover {
  background: var(--sunk);
}
.entry:disabled {
  cursor: default;
  font-weight: 600;
}
</style>
