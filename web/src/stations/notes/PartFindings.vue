<script setup lang="ts">
/** The part: how it is called and heard. */
import { computed, onMounted, ref } from 'vue'
import { client, told, type Schemas } from '../../folio/client'
import { useFolio } from '../../folio/folio'
import { useNotes } from '../../folio/notes'
import { useNotices } from '../../folio/notices'
import { plural, signed } from '../../ui/format'

const notes = useNotes()
const folio = useFolio()
const notices = useNotices()
const instruments = ref<Schemas['InstrumentName'][]>([])
onMounted(async () => {
  instruments.value = await told(client.GET('/api/instruments')).catch((e) => (notices.tellProblem(e), []))
})
const siblings = computed(() =>
  Object.entries(folio.state?.parts ?? {})
    .filter(([, p]) => p.take && p.take === notes.part?.take)
    .map(([id]) => id),
)
async function join() {
  const parts = [notes.partId, ...siblings.value.filter((id) => id !== notes.partId)]
  const body = () => ({ parts, base_revision: folio.base })
  await folio.change(() =>
    told(client.POST('/api/folios/{folio_id}/parts/join', { params: { path: folio.path }, body: body() })),
  )
}
const text = (event: Event) => (event.target as HTMLInputElement).value
</script>

<template>
  <section v-if="notes.part">
    <h3>Part</h3>
    <label class="finding">
      <span>called</span>
      <input
        class="field"
        :value="notes.part.name"
        maxlength="120"
        @change="notes.setPart({ name: text($event) })"
      />
    </label>
    <label class="finding">
      <span>plays on</span>
      <select
        class="field"
        :value="notes.part.instrument"
        @change="notes.setPart({ instrument: text($event) })"
      >
        <option v-for="each in instruments" :key="each.id" :value="each.id">{{ each.name }}</option>
        <option v-for="(kit, id) in folio.state?.kits" :key="id" :value="`kit:${id}`">
          {{ kit.name }}, kit
        </option>
      </select>
    </label>
    <label class="finding">
      <span>octave</span>
      <select
        class="field"
        :value="notes.part.octave"
        @change="notes.setPart({ octave: Number(text($event)) })"
      >
        <option v-for="n in [-3, -2, -1, 0, 1, 2, 3]" :key="n" :value="n">{{ n > 0 ? `+${n}` : n }}</option>
      </select>
    </label>
    <label class="finding">
      <span>level</span>
      <input
        type="range"
        min="-30"
        max="6"
        step="1"
        :value="notes.part.level_db"
        aria-label="Level of the part in dB"
        @change="notes.setPart({ level_db: Number(text($event)) })"
      />
      <span>{{ signed(notes.part.level_db) }} dB</span>
    </label>
    <label class="finding">
      <span>pan</span>
      <input
        type="range"
        min="-1"
        max="1"
        step="0.1"
        :value="notes.part.pan"
        aria-label="Pan of the part"
        @change="notes.setPart({ pan: Number(text($event)) })"
      />
      <span>{{ notes.part.pan }}</span>
    </label>
    <div class="row">
      <button
        type="button"
        class="act small"
        :aria-pressed="notes.part.muted"
        @click="notes.setPart({ muted: !notes.part.muted })"
      >
        Mute
      </button>
      <button
        type="button"
        class="act small"
        :aria-pressed="notes.part.solo"
        @click="notes.setPart({ solo: !notes.part.solo })"
      >
        Solo
      </button>
      <button
        type="button"
        class="act small"
        :aria-pressed="notes.part.bends"
        @click="notes.setPart({ bends: !notes.part.bends })"
      >
        Bends
      </button>
      <button
        type="button"
        class="act small"
        :aria-pressed="notes.part.percussion"
        title="Drums are written on channel 10"
        @click="notes.setPart({ percussion: !notes.part.percussion })"
      >
        Drums
      </button>
      <button
        v-if="!notes.part.beat_map && !notes.part.reading"
        type="button"
        class="act small"
        :aria-pressed="notes.part.keeps_beats"
        title="Its notes move with the bars when the folio’s time changes; without it they keep their seconds"
        data-test="keeps-beats"
        @click="notes.setPart({ keeps_beats: !notes.part.keeps_beats })"
      >
        Keeps its beats
      </button>
      <button type="button" class="act small" @click="notes.removePart()">Remove</button>
      <button v-if="siblings.length > 1" type="button" class="act small" @click="join">
        Join the take’s {{ siblings.length }} parts
      </button>
    </div>
    <div v-if="notes.part.pedal?.length" class="finding">
      <span>pedal down {{ plural(notes.part.pedal.length, 'time') }}</span>
      <button type="button" class="act small" @click="notes.setPart({ pedal: [] })">Without it</button>
    </div>
    <div v-if="notes.part.reading" class="finding">
      <span>left out by the limit</span><span>{{ notes.part.left_out }}</span>
    </div>
  </section>
</template>

<style scoped>
.field {
  width: 160px;
}
.finding {
  align-items: center;
  white-space: nowrap;
}
.finding .field {
  font-family: var(--text-face);
  text-align: left;
}
</style>
