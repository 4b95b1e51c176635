<script setup lang="ts">
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'
import { client, told, type Schemas, type Take } from '../../folio/client'
import { useFolio } from '../../folio/folio'
import { useNotes } from '../../folio/notes'
import { useNotices } from '../../folio/notices'
import { openDialog } from '../../ui/dialogs'
import FilePicker from '../../ui/FilePicker.vue'
import { HOLDS } from '../../ui/kinds'
import StationEmpty from '../../ui/StationEmpty.vue'
import { clock, decibels, plural } from '../../ui/format'

const folio = useFolio()
const notes = useNotes()
const notices = useNotices()
const router = useRouter()
const chosen = ref<Set<string>>(new Set())
const takes = computed(() => Object.entries(folio.state?.takes ?? {}))
const done = computed(() => folio.jobs.filter((j) => j.state !== 'done' || j.result.notice))

function open(id: string) {
  void notes.showTake(id)
  void router.push({ name: 'notes' })
}
async function rename(id: string, event: Event) {
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
async function remove(id: string, take: Take) {
  const path = { ...folio.path, take_id: id }
  await folio.change(() =>
    told(
      client.DELETE('/api/folios/{folio_id}/takes/{take_id}', {
        params: { path, query: { base_revision: folio.base } },
      }),
    ),
  )
  notices.tell(`“${take.name}” removed.`, 'Undo brings it back. Parts read from it stay.')
}
async function readChosen() {
  const body = { takes: [...chosen.value], settings: {} } as Schemas['AskBatch']
  const answer = await folio.change(() =>
    told(client.POST('/api/folios/{folio_id}/readings/batch', { params: { path: folio.path }, body })),
  )
  for (const text of answer?.passed_over ?? []) notices.tell(text)
}
async function useTempo(bpm: number) {
  const body = () => ({ bpm, base_revision: folio.base }) as Schemas['TimeChange']
  await folio.change(() =>
    told(client.PUT('/api/folios/{folio_id}/time', { params: { path: folio.path }, body: body() })),
  )
}
async function useMap(id: string) {
  const body = () => ({ map_of_take: id, base_revision: folio.base }) as Schemas['TimeChange']
  await folio.change(() =>
    told(client.PUT('/api/folios/{folio_id}/time', { params: { path: folio.path }, body: body() })),
  )
}
function toggle(id: string) {
  const next = new Set(chosen.value)
  if (!next.delete(id)) next.add(id)
  chosen.value = next
}
/** What there is of a take, in words. */
function madeOf(id: string): string[] {
  const readings = folio.readings.filter((r) => r.take === id).length
  const parts = Object.values(folio.state?.parts ?? {}).filter((p) => p.take === id).length
  const made = [
    folio.takesWith('beat_maps').includes(id) ? 'beats' : '',
    folio.takesWith('kits').includes(id) ? 'slices' : '',
    readings ? plural(readings, 'reading') : '',
    parts ? plural(parts, 'part') : '',
  ].filter(Boolean)
  return made.length ? made : ['nothing yet']
}
const ends = (take: Take) =>
  [take.facts.silence_before_s ?? 0, take.facts.silence_after_s ?? 0].map((s) => s.toFixed(2)).join(' / ')
</script>

<template>
  <main class="takes" aria-label="Takes">
    <StationEmpty v-if="!takes.length && !folio.jobs.length" />
    <template v-else>
      <div class="row head">
        <h2>Takes</h2>
        <FilePicker />
        <button type="button" class="act" :disabled="!chosen.size" @click="readChosen">
          Read and accept {{ chosen.size || '' }}
        </button>
        <button
          type="button"
          class="act"
          :disabled="!Object.keys(folio.state?.parts ?? {}).length"
          @click="openDialog = 'hand-on'"
        >
          Hand several on
        </button>
        <span class="soft">or drop files anywhere. Nothing leaves this machine.</span>
      </div>
      <table v-if="takes.length" class="plain">
        <thead>
          <tr>
            <th><span class="unseen">chosen</span></th>
            <th>name</th>
            <th>length</th>
            <th>kind</th>
            <th>loudest</th>
            <th>silence at its ends, s</th>
            <th>offered by the file</th>
            <th>made of it</th>
            <th><span class="unseen">actions</span></th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="[id, take] in takes" :key="id" :data-take="take.name">
            <td>
              <input
                type="checkbox"
                :checked="chosen.has(id)"
                :disabled="take.kind !== 'audio'"
                :aria-label="`Choose ${take.name}`"
                @change="toggle(id)"
              />
            </td>
            <td>
              <input
                class="field name"
                :value="take.name"
                :aria-label="`Name of ${take.name}`"
                maxlength="120"
                @change="rename(id, $event)"
              />
            </td>
            <td class="figures">
              {{ clock(take.facts.duration_s ?? 0, 1) }}
              <div v-if="folio.placeOf(id)" class="soft">from {{ clock(folio.placeOf(id), 1) }}</div>
            </td>
            <td v-if="take.kind === 'audio'" class="figures">
              {{ take.facts.format }} {{ (take.facts.rate ?? 0) / 1000 }} kHz,
              {{
                take.facts.channels === 1
                  ? 'mono'
                  : take.facts.channels === 2
                    ? 'stereo'
                    : `${take.facts.channels} ch`
              }}
              <div v-if="take.facts.opposed_channels" class="soft">
                its channels cancel each other: read with
                {{ plural(take.facts.opposed_channels, 'channel') }} turned over
              </div>
              <div v-if="take.facts.seems" class="soft">
                seems {{ HOLDS[take.facts.seems.name] }} {{ take.facts.seems.confidence.toFixed(2) }}
              </div>
            </td>
            <td v-else class="figures">MIDI, {{ plural(take.facts.notes ?? 0, 'note') }}</td>
            <template v-if="take.kind === 'audio'">
              <td class="figures">
                {{ decibels(take.facts.loudest_db ?? -120) }}
                <div v-if="take.facts.clipped_samples" class="soft">
                  {{ plural(take.facts.clipped_samples, 'sample') }} clipped
                </div>
              </td>
              <td class="figures">{{ ends(take) }}</td>
            </template>
            <td v-else colspan="2" class="soft">{{ take.facts.remarks?.join(' ') || 'nothing to mend' }}</td>
            <td>
              <button
                v-if="take.facts.hints?.tempo_bpm"
                type="button"
                class="act small"
                @click="useTempo(take.facts.hints.tempo_bpm)"
              >
                use tempo {{ take.facts.hints.tempo_bpm }}
              </button>
              <button v-if="take.facts.tempo" type="button" class="act small" @click="useMap(id)">
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
            <td class="figures">
              <div v-for="what in madeOf(id)" :key="what">{{ what }}</div>
            </td>
            <td>
              <div class="row nowrap">
                <button type="button" class="act small main" @click="open(id)">Open</button>
                <button type="button" class="act small" @click="remove(id, take)">Remove</button>
              </div>
            </td>
          </tr>
        </tbody>
      </table>
      <section v-if="done.length || folio.running.length" class="jobs">
        <div class="row">
          <h2>Work</h2>
          <button type="button" class="act small" @click="folio.dismissJobs()">Clear the list</button>
        </div>
        <ul>
          <li v-for="job in folio.running" :key="job.id">
            {{ job.title }} <progress :value="job.progress" max="1" /> {{ Math.round(job.progress * 100) }} %
            <button type="button" class="act small" @click="folio.stopJob(job.id)">Stop this</button>
          </li>
          <li v-for="job in done.filter((j) => j.state !== 'queued' && j.state !== 'running')" :key="job.id">
            {{ job.title }}: <strong>{{ job.state }}</strong>
            {{ [job.result.title, job.result.detail, job.result.notice].filter(Boolean).join(' ') }}
          </li>
        </ul>
      </section>
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
  margin-bottom: 12px;
}
.figures {
  white-space: nowrap;
}
.figures .soft {
  max-width: 190px;
  white-space: normal;
}
.key {
  display: block;
}
.name {
  width: 100%;
  min-width: 210px;
  font-weight: 600;
}
.nowrap {
  flex-wrap: nowrap;
}
th:last-child,
td:last-child {
  position: sticky;
  right: -20px;
  background: var(--panel);
}
.jobs {
  margin-top: 24px;
}
li {
  padding: 3px 0;
}
</style>
