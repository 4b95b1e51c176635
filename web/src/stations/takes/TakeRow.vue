<script setup lang="ts">
/** One take: what is known of it, what its file offers, what there is of it. */
import { computed } from 'vue'
import { useRouter } from 'vue-router'
import { client, told, type Schemas, type Take } from '../../folio/client'
import { useFolio } from '../../folio/folio'
import { useNotes } from '../../folio/notes'
import { clock, decibels, plural } from '../../ui/format'
import { HOLDS } from '../../ui/kinds'

/** Notes of its parts are counted by the server, which takes a moment. */
const { id, take, notesMade } = defineProps<{
  id: string
  take: Take
  notesMade: Schemas['Made'] | undefined
}>()
const emit = defineEmits<{ remove: [] }>()
const chosen = defineModel<boolean>({ required: true })
const folio = useFolio()
const notes = useNotes()
const router = useRouter()

function open() {
  void notes.showTake(id)
  void router.push({ name: 'notes' })
}
async function rename(event: Event) {
  const name = (event.target as HTMLInputElement).value
  const path = { ...folio.path, take_id: id }
  await folio.change(() =>
    told(
      client.PATCH('/api/folios/{folio_id}/takes/{take_id}', {
        params: { path },
        body: { name, base_revision: folio.base },
      }),
    ),
  )
}
async function setTime(values: Partial<Schemas['TimeChange']>) {
  const body = () => ({ ...values, base_revision: folio.base }) as Schemas['TimeChange']
  await folio.change(() =>
    told(client.PUT('/api/folios/{folio_id}/time', { params: { path: folio.path }, body: body() })),
  )
}
const CHANNELS: Record<number, string> = { 1: 'mono', 2: 'stereo' }
const channels = computed(() => CHANNELS[take.facts.channels ?? 0] ?? `${take.facts.channels} ch`)
const ends = computed(() =>
  [take.facts.silence_before_s ?? 0, take.facts.silence_after_s ?? 0].map((s) => s.toFixed(2)).join(' / '),
)
/** What there is of the take, in words. */
const made = computed(() => {
  const readings = folio.readings.filter((r) => r.take === id).length
  const parts = Object.values(folio.state?.parts ?? {}).filter((p) => p.take === id).length
  const found = [
    folio.takesWith('beat_maps').includes(id) ? 'beats' : '',
    folio.takesWith('kits').includes(id) ? 'slices' : '',
    readings ? plural(readings, 'reading') : '',
    parts ? plural(parts, 'part') + (notesMade ? `, ${plural(notesMade.notes, 'note')}` : '') : '',
    notesMade?.wrong ? `about ${notesMade.wrong} wrong` : '',
  ].filter(Boolean)
  return found.length ? found : ['nothing yet']
})
</script>

<template>
  <tr :data-take="take.name">
    <td>
      <input v-model="chosen" type="checkbox" :aria-label="`Choose ${take.name}`" />
    </td>
    <td class="named">
      <input
        class="field name"
        :value="take.name"
        :title="take.name"
        :aria-label="`Name of ${take.name}`"
        maxlength="120"
        @change="rename"
      />
    </td>
    <td class="figures">
      {{ clock(take.facts.duration_s ?? 0, 1) }}
      <div v-if="folio.placeOf(id)" class="soft">from {{ clock(folio.placeOf(id), 1) }}</div>
    </td>
    <td v-if="take.kind === 'audio'" class="figures">
      {{ take.facts.format }} {{ (take.facts.rate ?? 0) / 1000 }} kHz, {{ channels }}
      <div v-if="take.facts.opposed_channels" class="soft long">
        its channels cancel each other: read with
        {{ plural(take.facts.opposed_channels, 'channel') }} turned over
      </div>
      <div v-if="take.facts.seems" class="soft long">
        seems {{ HOLDS[take.facts.seems.name] }} {{ take.facts.seems.confidence.toFixed(2) }}
      </div>
    </td>
    <td v-else class="figures">MIDI, {{ plural(take.facts.notes ?? 0, 'note') }}</td>
    <template v-if="take.kind === 'audio'">
      <td class="figures">
        {{ decibels(take.facts.loudest_db ?? -120) }}
        <div v-if="take.facts.clipped_samples" class="soft short">
          {{ plural(take.facts.clipped_samples, 'sample') }} clipped
        </div>
      </td>
      <td class="figures">{{ ends }}</td>
    </template>
    <td v-else colspan="2" class="soft">{{ take.facts.remarks?.join(' ') || 'nothing to mend' }}</td>
    <td>
      <button
        v-if="take.facts.hints?.tempo_bpm"
        type="button"
        class="act small"
        @click="setTime({ bpm: take.facts.hints.tempo_bpm })"
      >
        use tempo {{ take.facts.hints.tempo_bpm }}
      </button>
      <button v-if="take.facts.tempo" type="button" class="act small" @click="setTime({ map_of_take: id })">
        use its tempo map
      </button>
      <span v-if="take.facts.hints?.key" class="soft key">in {{ take.facts.hints.key }}</span>
      <button
        v-if="take.facts.hints?.timeline_s"
        type="button"
        class="act small"
        @click="folio.putTake(id, { begins_s: take.facts.hints.timeline_s })"
      >
        put at {{ clock(take.facts.hints.timeline_s, 2) }}
      </button>
    </td>
    <td class="made">
      <div v-for="what in made" :key="what">{{ what }}</div>
    </td>
    <td>
      <div class="row nowrap">
        <button type="button" class="act small main" @click="open">Open</button>
        <button type="button" class="act small" @click="emit('remove')">Remove</button>
      </div>
    </td>
  </tr>
</template>

<style scoped>
.figures,
.made {
  white-space: nowrap;
}
.long {
  width: 185px;
  white-space: normal;
}
.short {
  width: 100px;
  white-space: normal;
}
.key {
  display: block;
}
.name {
  width: 100%;
  min-width: 210px;
  font-weight: 600;
  text-overflow: ellipsis;
}
.nowrap {
  flex-wrap: nowrap;
}
.named,
td:last-child {
  position: sticky;
  left: -20px;
  right: -20px;
  background: var(--panel);
  background-clip: padding-box;
}
</style>
