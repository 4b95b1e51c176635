<script setup lang="ts">
import { computed, onMounted, ref } from 'vue'
import { useRouter } from 'vue-router'
import { client, told, type Schemas } from '../../folio/client'
import { useFolio } from '../../folio/folio'
import { useNotices } from '../../folio/notices'
import { hasWords, plural } from '../../ui/format'

const router = useRouter()
const notices = useNotices()
const opened = useFolio()
const list = ref<Schemas['FolioName'][] | null>(null)
const title = ref('')
const howFar = ref(0)
const wanted = ref('')
const found = computed(() => (list.value ?? []).filter((f) => hasWords(f.title, wanted.value)))
/** As many as this are in view at once. */
const MANY_FOLIOS = 12

onMounted(async () => {
  const asking = window.setInterval(() => void askHowFar(), 700)
  try {
    list.value = await told(client.GET('/api/folios'))
    // With one folio only, or with the demo, there is nothing to choose on arriving.
    const arrived = router.options.history.state.back === null
    const first = list.value.length === 1 ? list.value[0] : list.value.find((f) => f.demo)
    if (arrived && first) open(first.id)
  } catch (error) {
    notices.tellProblem(error)
    list.value = []
  } finally {
    window.clearInterval(asking)
  }
})
/** The first start of the demo takes a while: how far it is, 0 to 1. */
async function askHowFar() {
  const answer = await fetch('/api/health').catch(() => null)
  if (answer?.ok) howFar.value = ((await answer.json()) as { opened: number }).opened
}
function open(id: string) {
  void router.push({ name: 'notes', params: { folio: id } })
}
async function create() {
  try {
    void router.push({ name: 'takes', params: { folio: await opened.make(title.value) } })
  } catch (error) {
    notices.tellProblem(error)
  }
}
async function copy(folio: Schemas['FolioName']) {
  try {
    await told(client.POST('/api/folios/{folio_id}/copy', { params: { path: { folio_id: folio.id } } }))
    list.value = await told(client.GET('/api/folios'))
  } catch (error) {
    notices.tellProblem(error)
  }
}
async function remove(folio: Schemas['FolioName']) {
  if (!window.confirm(`Remove “${folio.title}” with its takes and parts? This cannot be undone.`)) return
  await client.DELETE('/api/folios/{folio_id}', { params: { path: { folio_id: folio.id } } })
  list.value = (list.value ?? []).filter((f) => f.id !== folio.id)
}
const holding = (folio: Schemas['FolioName']) =>
  folio.takes || folio.parts ? [plural(folio.takes, 'take'), plural(folio.parts, 'part')].join(', ') : 'empty'
const when = (seconds: number) =>
  new Date(seconds * 1000).toLocaleString([], { dateStyle: 'medium', timeStyle: 'short' })
</script>

<template>
  <main class="list">
    <h1>Honest Stave</h1>
    <p class="soft">
      Recordings, loops and live playing into MIDI that is proven to be what you heard. A folio holds one
      piece of music.
    </p>
    <form class="row" @submit.prevent="create">
      <input
        v-model="title"
        class="field"
        aria-label="Title of a new folio"
        placeholder="Title of a new folio"
        maxlength="120"
      />
      <button class="act main" type="submit">New folio</button>
    </form>
    <p v-if="list === null && howFar > 0" role="status">
      The recordings of the demo are made and read, once: {{ Math.round(100 * howFar) }} %
    </p>
    <p v-else-if="list === null" role="status">Loading…</p>
    <template v-else-if="list.length">
      <input
        v-if="list.length > MANY_FOLIOS || wanted"
        v-model="wanted"
        class="field find"
        aria-label="Words of a title"
        :placeholder="`Words of a title: ${plural(list.length, 'folio')}`"
      />
      <p v-if="!found.length" class="soft">No folio has these words in its title.</p>
      <table class="plain">
        <tbody>
          <tr v-for="folio in found" :key="folio.id">
            <td>
              <RouterLink :to="{ name: 'notes', params: { folio: folio.id } }">{{ folio.title }}</RouterLink>
            </td>
            <td class="soft">{{ holding(folio) }}</td>
            <td class="soft">changed {{ when(folio.changed_at) }}</td>
            <td class="acts">
              <button
                type="button"
                class="act small"
                title="Another folio with the same takes, parts and history, to try something in"
                @click="copy(folio)"
              >
                Copy
              </button>
              <button type="button" class="act small" @click="remove(folio)">Remove</button>
            </td>
          </tr>
        </tbody>
      </table>
    </template>
    <p v-else class="soft">There is no folio yet. Give the first one a title.</p>
  </main>
</template>

<style scoped>
.list {
  width: 760px;
  margin: 70px auto;
}
h1 {
  font: 600 30px var(--title-face);
}
.field {
  flex: 1;
}
.find {
  width: 100%;
  margin-top: 24px;
}
table {
  margin-top: 24px;
}
td {
  vertical-align: middle;
}
.acts {
  text-align: right;
  white-space: nowrap;
}
.acts button {
  margin-left: 6px;
}
a {
  color: var(--ink);
  font-weight: 600;
}
</style>
