<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { client, told, type Schemas } from '../../folio/client'
import { useFolio } from '../../folio/folio'
import { useNotices } from '../../folio/notices'
import { openDialog, takesToHandOn } from '../../ui/dialogs'
import FilePicker from '../../ui/FilePicker.vue'
import { hasWords, plural } from '../../ui/format'
import { HOLDS } from '../../ui/kinds'
import StationEmpty from '../../ui/StationEmpty.vue'
import TakeRow from './TakeRow.vue'
import WorkList from './WorkList.vue'

const folio = useFolio()
const notices = useNotices()
const marked = ref<Set<string>>(new Set())
const made = ref<Record<string, Schemas['Made']>>({})
const wrongOf = (id: string) => made.value[id]?.wrong ?? 0
const worstFirst = ref(false)
const wanted = ref('')
/** As many as this are in view at once. */
const MANY_TAKES = 7
const every = computed(() => Object.entries(folio.state?.takes ?? {}))
const takes = computed(() => {
  const found = every.value.filter(([, take]) =>
    hasWords(`${take.name} ${take.facts.seems ? HOLDS[take.facts.seems.name] : ''}`, wanted.value),
  )
  return worstFirst.value ? found.sort(([a], [b]) => wrongOf(b) - wrongOf(a)) : found
})
/** Those that are chosen and in view. */
const chosen = computed(() => takes.value.filter(([id]) => marked.value.has(id)))
const all = computed(() => chosen.value.length > 0 && chosen.value.length === takes.value.length)
/** Only recordings can be read. */
const readable = computed(() => chosen.value.filter(([, take]) => take.kind === 'audio').map(([id]) => id))

// What is made of the takes is counted whenever the folio changes while they are looked at.
watch(() => folio.state?.revision, count, { immediate: true })
async function count() {
  const counted = folio.state
  if (!counted) return
  const params = { path: folio.path }
  const answer = await told(client.GET('/api/folios/{folio_id}/takes/made', { params })).catch(() => null)
  // What comes after another change, or of a folio that was left, is out of date.
  if (answer && folio.state?.id === counted.id && folio.state.revision === counted.revision)
    made.value = answer
}

/** Of the chosen takes, or of all where none is, those that there are parts of. */
const withParts = computed(() => {
  const has = new Set(Object.values(folio.state?.parts ?? {}).map((part) => part.take))
  return (chosen.value.length ? chosen.value : every.value).map(([id]) => id).filter((id) => has.has(id))
})
function handOn() {
  takesToHandOn.value = chosen.value.length ? withParts.value : []
  openDialog.value = 'hand-on'
}
function choose(id: string, on: boolean) {
  const next = new Set(marked.value)
  if (on) next.add(id)
  else next.delete(id)
  marked.value = next
}
function chooseAll() {
  marked.value = new Set(all.value ? [] : takes.value.map(([id]) => id))
}
async function readChosen() {
  const body = { takes: readable.value, settings: {} } as Schemas['AskBatch']
  const answer = await folio.change(() =>
    told(client.POST('/api/folios/{folio_id}/readings/batch', { params: { path: folio.path }, body })),
  )
  for (const text of answer?.passed_over ?? []) notices.tell(text)
}
async function remove(ids: string[]) {
  const names = takes.value.filter(([id]) => ids.includes(id)).map(([, take]) => `“${take.name}”`)
  const body = { takes: ids, base_revision: folio.base }
  const answer = await folio.change(() =>
    told(client.POST('/api/folios/{folio_id}/takes/remove', { params: { path: folio.path }, body })),
  )
  const what = names.length > 1 ? plural(names.length, 'take') : names[0]
  const stay = 'Undo brings back what was removed. Parts read from it stay.'
  const unheard = answer?.silent.map((name) => `“${name}”`).join(', ')
  if (answer) notices.tell(`${what} removed.`, stay + (unheard ? ` Silent without it: ${unheard}.` : ''))
}
</script>

<template>
  <main class="takes" aria-label="Takes">
    <StationEmpty v-if="!every.length && !folio.jobs.length" />
    <template v-else>
      <div class="row head">
        <h2>Takes</h2>
        <FilePicker />
        <button type="button" class="act" :disabled="!readable.length" @click="readChosen">
          Read and accept {{ readable.length || '' }}
        </button>
        <button type="button" class="act" :disabled="!withParts.length" @click="handOn">
          Hand {{ (chosen.length && withParts.length) || 'several' }} on
        </button>
        <button v-if="chosen.length" type="button" class="act" @click="remove(chosen.map(([id]) => id))">
          Remove {{ chosen.length }}
        </button>
        <span class="soft">or drop files anywhere. Nothing leaves this machine.</span>
      </div>
      <WorkList />
      <input
        v-if="every.length > MANY_TAKES || wanted"
        v-model="wanted"
        class="field find"
        aria-label="Words of a name, or of what a take holds"
        :placeholder="`Words of a name, or of what it holds: ${plural(every.length, 'take')}`"
      />
      <p v-if="wanted && !takes.length" class="soft">
        No take has these words in its name or in what it seems to hold.
      </p>
      <table v-if="takes.length" class="plain">
        <thead>
          <tr>
            <th>
              <input
                type="checkbox"
                aria-label="Choose all takes"
                title="all takes"
                :checked="all"
                :indeterminate.prop="!all && chosen.length > 0"
                @change="chooseAll"
              />
            </th>
            <th class="named">name</th>
            <th>length</th>
            <th>kind</th>
            <th>loudest</th>
            <th>silence at its ends, s</th>
            <th class="offered">offered by the file</th>
            <th>
              made of it
              <button
                v-if="takes.length > 1 && takes.some(([id]) => wrongOf(id))"
                type="button"
                class="act small"
                :aria-pressed="worstFirst"
                @click="worstFirst = !worstFirst"
              >
                worst first
              </button>
            </th>
            <th class="actions"><span class="unseen">actions</span></th>
          </tr>
        </thead>
        <tbody>
          <TakeRow
            v-for="[id, take] in takes"
            :id="id"
            :key="id"
            :take="take"
            :notes-made="made[id]"
            :model-value="marked.has(id)"
            @update:model-value="choose(id, $event)"
            @remove="remove([id])"
          />
        </tbody>
      </table>
    </template>
  </main>
</template>

<style scoped>
.takes {
  flex: 1;
  overflow: auto;
  padding: 14px 20px;
  background: var(--panel);
}
h2 {
  font: 600 20px var(--title-face);
}
.head {
  position: sticky;
  left: 0;
  margin-bottom: 12px;
}
.find {
  width: min(440px, 100%);
  margin-bottom: 8px;
}
.named {
  position: sticky;
  left: -20px;
  width: 40%;
  background: var(--panel);
}
.offered {
  width: 110px;
}
.actions {
  position: sticky;
  right: -20px;
  background: var(--panel);
}
</style>
