<script setup lang="ts">
/** What the receiver will get, in words, before it is written; then the file and its proof. */
import { computed, onMounted, reactive, ref, watch } from 'vue'
import { client, told, Problem, type HandOn, type Schemas } from '../folio/client'
import { useFolio } from '../folio/folio'
import { useNotices } from '../folio/notices'
import { useView } from '../folio/view'
import { usePlayer } from '../player/store'
import { openDialog, takesToHandOn } from './dialogs'
import { clock, plural } from './format'

const folio = useFolio()
const notices = useNotices()
const view = useView()
const player = usePlayer()
const parts = computed(() => Object.entries(folio.state?.parts ?? {}))
const of = takesToHandOn.value
takesToHandOn.value = []
const ask = reactive<Schemas['Ask']>({
  parts: parts.value.filter(([, p]) => (of.length ? of.includes(p.take) : !p.muted)).map(([id]) => id),
  names: Object.fromEntries(parts.value.map(([id, p]) => [id, p.name])),
  files: 'one', format: 'midi', from_bar: null, to_bar: null, start: 'recording', bend_semitones: 2,
  channels: 'each', type: 1, middle_c_octave: 4, pattern: '{folio} {part}', overwrite: false,
}) // prettier-ignore
const every = computed(() => ask.parts?.length === parts.value.length)
const whole = ref(true)
const described = ref<Schemas['Described'] | null>(null)
const problem = ref('')
const done = ref<HandOn | null>(null)
const before = ref<HandOn[]>([])
const busy = ref(false)
const ready = ref(false)

function body(): Schemas['Ask'] {
  const bars = whole.value ? { from_bar: null, to_bar: null } : {}
  return { ...ask, ...bars, pattern: ask.pattern || '{folio} {part}' }
}
async function describe() {
  if (!ready.value) return
  problem.value = ''
  if (!ask.parts?.length) {
    described.value = null
    problem.value = 'Choose at least one part.'
    return
  }
  try {
    described.value = await told(
      client.POST('/api/folios/{folio_id}/hand-ons/describe', { params: { path: folio.path }, body: body() }),
    )
  } catch (error) {
    described.value = null
    problem.value = error instanceof Problem ? `${error.title} ${error.detail}` : String(error)
  }
}
onMounted(async () => {
  try {
    const params = { path: folio.path }
    const last = await told(client.GET('/api/folios/{folio_id}/hand-ons/remembered', { params }))
    for (const key of [
      'bend_semitones',
      'channels',
      'type',
      'middle_c_octave',
      'pattern',
      'start',
    ] as const) {
      if (key in last) Object.assign(ask, { [key]: last[key] })
    }
    before.value = await told(client.GET('/api/folios/{folio_id}/hand-ons', { params }))
  } catch (error) {
    notices.tellProblem(error)
  }
  ready.value = true
  await describe()
})
watch([ask, whole], () => void describe(), { deep: true })

const address = (made: HandOn) => `/api/folios/${folio.id}/hand-ons/${made.id}/file`
async function write(settings: Schemas['Ask']) {
  busy.value = true
  try {
    done.value = await told(
      client.POST('/api/folios/{folio_id}/hand-ons', { params: { path: folio.path }, body: settings }),
    )
    const link = document.createElement('a')
    link.href = address(done.value)
    link.download = done.value.name
    link.click()
    localStorage.setItem('stave-handed', 'yes')
  } catch (error) {
    problem.value = error instanceof Problem ? `${error.title} ${error.detail}` : String(error)
  } finally {
    busy.value = false
  }
}
function drag(event: DragEvent, made: HandOn) {
  const url = new URL(address(made), location.href).href
  event.dataTransfer?.setData('DownloadURL', `audio/midi:${made.name}:${url}`)
  event.dataTransfer?.setData('text/uri-list', url)
}
function saveProof(made: HandOn) {
  const link = document.createElement('a')
  link.href = URL.createObjectURL(new Blob([made.proof?.text ?? ''], { type: 'text/plain' }))
  link.download = `${made.name} proof.txt`
  link.click()
  URL.revokeObjectURL(link.href)
}
function walkTo(time: number) {
  openDialog.value = ''
  view.reveal(time - 1, time + 1)
  player.seek(time)
}
</script>

<template>
  <div v-if="!parts.length">
    <p>There is no part to hand on yet. Read a take, then accept the reading as a part.</p>
  </div>
  <div v-else-if="!done" class="ask">
    <fieldset>
      <legend>Parts</legend>
      <label v-if="parts.length > 2" class="every">
        <input
          type="checkbox"
          :checked="every"
          :indeterminate.prop="!every && (ask.parts?.length ?? 0) > 0"
          @change="ask.parts = every ? [] : parts.map(([id]) => id)"
        />
        all {{ parts.length }}
      </label>
      <label v-for="[id, part] in parts" :key="id" class="part">
        <input v-model="ask.parts" type="checkbox" :value="id" />
        <input
          v-model="ask.names![id]"
          class="field"
          :aria-label="`Name of ${part.name} in the file`"
          maxlength="120"
        />
      </label>
    </fieldset>
    <div class="columns">
      <label
        >format
        <select v-model="ask.format" class="field">
          <option value="midi">Standard MIDI File</option>
          <option value="csv">note list, CSV</option>
          <option value="json">note list, JSON</option>
          <option value="labels">label text</option>
        </select>
      </label>
      <label
        >files
        <select v-model="ask.files" class="field">
          <option value="one">one for all parts</option>
          <option value="each">one a part, in a ZIP</option>
        </select>
      </label>
      <label
        >begins at
        <select v-model="ask.start" class="field" :disabled="!whole">
          <option value="recording">the recording’s beginning</option>
          <option value="bar 1">bar 1</option>
        </select>
      </label>
      <label
        >stretch
        <select v-model="whole" class="field">
          <option :value="true">the whole</option>
          <option :value="false">bars from – to</option>
        </select>
      </label>
      <template v-if="!whole">
        <label>from bar <input v-model.number="ask.from_bar" class="field" type="number" /></label>
        <label>to bar <input v-model.number="ask.to_bar" class="field" type="number" /></label>
      </template>
      <template v-if="ask.format === 'midi'">
        <label
          >pitch bend
          <select v-model.number="ask.bend_semitones" class="field">
            <option :value="0">none</option>
            <option v-for="n in [1, 2, 3, 5, 7, 12, 24]" :key="n" :value="n">
              ± {{ plural(n, 'semitone') }}
            </option>
          </select>
        </label>
        <label
          >channels
          <select v-model="ask.channels" class="field">
            <option value="each">one a part</option>
            <option value="one">one for all</option>
          </select>
        </label>
        <label
          >file type
          <select v-model.number="ask.type" class="field">
            <option :value="1">1, a track a part</option>
            <option :value="0">0, one track</option>
          </select>
        </label>
      </template>
      <label v-else
        >middle C is
        <select v-model.number="ask.middle_c_octave" class="field">
          <option :value="4">C4</option>
          <option :value="3">C3</option>
        </select>
      </label>
      <label class="wide"
        >file name, with {folio}, {part}, {tempo}
        <input v-model="ask.pattern" class="field" maxlength="200" />
      </label>
    </div>
    <section class="gets" aria-live="polite">
      <h3>The receiver gets</h3>
      <p v-if="problem" data-test="hand-on-problem">{{ problem }}</p>
      <template v-if="described">
        <p class="figures">{{ described.names.join(', ') }}</p>
        <p v-for="text in described.words" :key="text">{{ text }}</p>
        <p v-for="text in [...described.left_out, ...described.said]" :key="text" class="soft">{{ text }}</p>
      </template>
    </section>
    <div class="row end">
      <button
        v-if="before.length"
        type="button"
        class="act"
        :disabled="busy"
        :title="`With the settings of ${before[0].name}`"
        @click="write(before[0].settings as Schemas['Ask'])"
      >
        Again as last time
      </button>
      <button
        type="button"
        class="act main"
        data-test="write"
        :disabled="busy || !described"
        @click="write(body())"
      >
        Write and prove
      </button>
    </div>
  </div>
  <div v-else class="proof">
    <p>
      <a
        class="file figures"
        :href="address(done)"
        :download="done.name"
        draggable="true"
        @dragstart="drag($event, done)"
        >{{ done.name }}</a
      >
      <span class="soft"> written. It can be dragged from here, too.</span>
    </p>
    <template v-if="done.proof">
      <h2 data-test="proof">
        {{ done.proof.same ? 'The same' : plural(done.proof.differences.length, 'difference') }}
      </h2>
      <p>
        Read back by a reader that shares no code with the writer, and compared with what the player plays:
        <span class="figures">{{ plural(done.proof.notes, 'note') }}</span>,
        <span class="figures">{{ plural(done.proof.bends, 'bend') }}</span>; greatest deviation
        <span class="figures">{{ done.proof.greatest_ms.toFixed(3) }} ms</span>,
        <span class="figures">{{ done.proof.greatest_cents.toFixed(2) }} cents</span>.
      </p>
      <ul v-if="done.proof.differences.length" class="differences">
        <li v-for="(d, k) in done.proof.differences.slice(0, 200)" :key="k">
          <button type="button" class="act small" @click="walkTo(d.time_s)">{{ clock(d.time_s) }}</button>
          {{ d.text }}
        </li>
      </ul>
    </template>
    <p
      v-for="text in [...done.told.words, ...done.told.left_out, ...done.told.said]"
      :key="text"
      class="soft"
    >
      {{ text }}
    </p>
    <div class="row end">
      <button v-if="done.proof" type="button" class="act" @click="saveProof(done)">Save the proof</button>
      <button type="button" class="act" :disabled="busy" @click="write(done.settings as Schemas['Ask'])">
        Again
      </button>
      <button type="button" class="act main" @click="openDialog = ''">Done</button>
    </div>
  </div>
</template>

<style scoped>
fieldset {
  border: 1px solid var(--hairline);
  border-radius: 3px;
  display: flex;
  flex-wrap: wrap;
  gap: 6px 18px;
  max-height: 150px;
  overflow-y: auto;
}
legend,
.columns label {
  color: var(--soft);
  font-size: 12px;
}
.every {
  flex-basis: 100%;
  color: var(--soft);
}
.part {
  display: flex;
  gap: 6px;
}
.columns {
  display: grid;
  grid-template-columns: repeat(3, 1fr);
  gap: 8px 14px;
  margin-top: 10px;
}
.columns label {
  display: flex;
  flex-direction: column;
  gap: 2px;
}
.columns .field {
  color: var(--text);
  font-size: 13px;
}
.wide {
  grid-column: span 2;
}
.gets {
  background: var(--paper);
  border: 1px solid var(--hairline);
  padding: 2px 14px 10px;
  margin: 12px 0;
  min-height: 130px;
  max-height: 230px;
  overflow-y: auto;
}
p {
  margin: 3px 0;
}
.end {
  justify-content: flex-end;
}
h2 {
  font: 600 26px var(--title-face);
  margin: 10px 0 4px;
}
.file {
  color: var(--ink);
  font-weight: 600;
}
.differences {
  max-height: 220px;
  overflow: auto;
  padding-left: 0;
  list-style: none;
}
</style>
