<script setup lang="ts">
import { onMounted, ref, watch } from 'vue'
import { client, told, type Schemas } from '../folio/client'
import { useFolio } from '../folio/folio'
import { useNotices } from '../folio/notices'
import ActButton from './ActButton.vue'

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
const when = (seconds: number) => new Date(seconds * 1000).toLocaleTimeString()
</script>

<template>
  <div class="row"><ActButton action="undo" /><ActButton action="redo" /></div>
  <p v-if="!list.length" class="soft">Nothing has been changed yet.</p>
  <ol class="history">
    <li v-for="entry in list" :key="entry.id" :class="{ soft: entry.undone }">
      <span class="figures">{{ when(entry.at) }}</span> {{ entry.label }} <em v-if="entry.undone">undone</em>
    </li>
  </ol>
</template>

<style scoped>
.history {
  list-style: none;
  padding: 0;
  max-height: 50vh;
  overflow: auto;
}
li {
  padding: 4px 0;
  border-bottom: 1px solid var(--hairline);
}
</style>
