<script setup lang="ts">
/** The page of findings: what was measured, what was done to it, what can be done. */
import { computed } from 'vue'
import { useEvidence } from '../../folio/evidence'
import { useFolio } from '../../folio/folio'
import { useNotes } from '../../folio/notes'
import { LEFT_OUT } from '../../folio/strokes'
import ActButton from '../../ui/ActButton.vue'
import { clock, decibels, isShown, plural, signed } from '../../ui/format'
import { couldHold, hasStops, HOLDS_SHORT } from '../../ui/kinds'
import CentsCurve from './CentsCurve.vue'
import NotePartials from './NotePartials.vue'
import TextureFindings from './TextureFindings.vue'
import ReadingFindings from './ReadingFindings.vue'
import WrittenOnset from './WrittenOnset.vue'
import PartFindings from './PartFindings.vue'

const notes = useNotes()
const folio = useFolio()
const evidence = useEvidence()
const s = computed(() => notes.strokes)
const i = computed(() => notes.focus)
const seems = computed(() => notes.take?.facts.seems ?? null)
const rival = computed(() => (seems.value ? couldHold(seems.value) : null))
const several = computed(() => notes.selectedIndices.length)
const name = computed(() => evidence.nameOf(Math.round(s.value.pitch[i.value])))
const rank = computed(() => {
  let place = 0
  for (let k = 0; k <= i.value; k++) if (s.value.kind[k] !== LEFT_OUT) place++
  return place
})
const candidate = computed(() => {
  const id = s.value.id[i.value] ?? ''
  return id.startsWith('candidate ') ? Number(id.slice(10)) : -1
})
/** What was measured: of a note its origin, of a candidate itself. */
const measured = computed(() => {
  const found = notes.candidates
  const k = candidate.value
  if (k >= 0 && found) {
    return {
      onset_s: found.onset_s[k], offset_s: found.offset_s[k], onset_tolerance_s: found.onset_tolerance_s[k],
      offset_tolerance_s: found.offset_tolerance_s[k], level_db: found.level_db[k], velocity: found.velocity[k],
      centre_cents: found.centre_cents[k], confidence: found.confidence[k], runner_up: found.runner_up[k],
      runner_up_share: found.runner_up_share[k], pitch: found.pitch[k],
    } // prettier-ignore
  }
  return notes.focusNote?.origin ?? null
})
/** Where a note that no reading heard came from; one that was touched since says so. */
function cameFrom(touched: boolean): string {
  const played = notes.take?.kind === 'midi' ? 'the performance' : ''
  const from = notes.part?.beat_map ? 'the score' : played
  if (!from) return touched ? 'your hand' : 'the hits'
  return touched ? `${from} or your hand` : from
}
const shifts = computed(() => {
  const note = notes.focusNote
  const origin = note?.origin
  if (!note) return []
  const waits = note.cut ? [['plays', 'nothing: its cut is gone']] : []
  if (!origin) return [['comes from', cameFrom(note.touched)], ...waits]
  const ms = (a: number, b: number) => `${signed((a - b) * 1000)} ms`
  const rows: string[][] = [
    ['start moved', ms(note.onset_s, origin.onset_s)],
    ['end moved', ms(note.offset_s, origin.offset_s)],
    ['velocity changed', signed(note.velocity - origin.velocity)],
  ]
  if (note.pitch !== origin.pitch)
    rows.push(['pitch changed', `${evidence.nameOf(origin.pitch)} → ${evidence.nameOf(note.pitch)}`])
  return rows
})
const sum = computed(() => {
  const chosen = notes.selectedIndices
  const lengths = chosen.map((k) => s.value.offset[k] - s.value.onset[k])
  const loud = chosen.map((k) => s.value.velocity[k])
  return {
    shortest: Math.min(...lengths),
    longest: Math.max(...lengths),
    soft: Math.min(...loud),
    loud: Math.max(...loud),
  }
})
</script>

<template>
  <aside class="margin" aria-label="Findings">
    <template v-if="several > 1">
      <h2>{{ plural(several, 'note') }} <small>selected</small></h2>
      <h3>What was measured</h3>
      <div class="finding">
        <span>lengths</span
        ><span>{{ Math.round(sum.shortest * 1000) }} to {{ Math.round(sum.longest * 1000) }} ms</span>
      </div>
      <div class="finding">
        <span>velocities</span><span>{{ sum.soft }} to {{ sum.loud }}</span>
      </div>
    </template>
    <template v-else-if="i >= 0">
      <h2>
        {{ name }}
        <small>{{
          s.kind[i] === LEFT_OUT ? 'candidate, left out' : `note ${rank} of ${notes.counted}`
        }}</small>
      </h2>
      <div class="row hear">
        <ActButton action="hear-recording" /><ActButton action="hear-note" /><ActButton action="hear-both" />
      </div>
      <template v-if="notes.part?.beat_map">
        <WrittenOnset />
        <NotePartials />
      </template>
      <template v-else-if="measured">
        <h3>What was measured</h3>
        <div class="finding">
          <span>starts</span
          ><span>{{ clock(measured.onset_s) }} ± {{ Math.round(measured.onset_tolerance_s * 1000) }} ms</span>
        </div>
        <div v-if="!notes.part?.percussion" class="finding">
          <span>ends</span
          ><span
            >{{ clock(measured.offset_s) }} ± {{ Math.round(measured.offset_tolerance_s * 1000) }} ms</span
          >
        </div>
        <div class="finding">
          <span>level</span><span>{{ decibels(measured.level_db) }} → velocity {{ measured.velocity }}</span>
        </div>
        <template v-if="!notes.part?.percussion">
          <div class="finding">
            <span>pitch centre</span
            ><span
              >{{ evidence.nameOf(measured.pitch) }}
              {{ measured.centre_cents ? `${signed(measured.centre_cents)} ct` : 'not heard alone' }}</span
            >
          </div>
          <CentsCurve />
          <NotePartials />
        </template>
        <div class="finding">
          <span>sure</span><span>{{ measured.confidence.toFixed(2) }}</span>
        </div>
        <div v-if="isShown(measured.runner_up_share)" class="finding">
          <span>could be</span>
          <span>{{ evidence.nameOf(measured.runner_up) }} {{ measured.runner_up_share.toFixed(2) }}</span>
        </div>
      </template>
      <template v-if="shifts.length">
        <h3>What was done to it</h3>
        <div v-for="row in shifts" :key="row[0]" class="finding">
          <span>{{ row[0] }}</span><span>{{ row[1] }}</span>
        </div>
      </template>
    </template>
    <template v-else>
      <h2>
        {{
          notes.part ? notes.part.name : notes.reading ? `Reading ${notes.reading.number}` : notes.take?.name
        }}
      </h2>
      <p class="soft">
        {{ notes.counted ? 'Click a note to hear it, or step through them with the arrow keys.' : '' }}
      </p>
      <template v-if="seems">
        <h3>Heard on arrival</h3>
        <div class="finding">
          <span>seems</span>
          <span>{{ HOLDS_SHORT[seems.name] }} {{ seems.confidence.toFixed(2) }}</span>
        </div>
        <div v-if="rival" class="finding">
          <span>or</span><span>{{ HOLDS_SHORT[rival.name] }} {{ rival.share.toFixed(2) }}</span>
        </div>
        <div class="finding">
          <span>two pitches or more</span>
          <span>{{ Math.round(100 * seems.overlapping) }} % of its sound</span>
        </div>
        <div v-if="hasStops(seems)" class="finding">
          <span>one pitch with its overtones</span>
          <span>{{ Math.round(100 * seems.overtones) }} % of its sound</span>
        </div>
        <div class="finding">
          <span>strokes without pitch</span>
          <span>{{ seems.strokes_a_second.toFixed(1) }} a second</span>
        </div>
        <div class="finding">
          <span>strokes over 5 kHz</span>
          <span>{{ seems.bright_a_second.toFixed(1) }} a second</span>
        </div>
        <div v-if="seems.of_two_pitches" class="finding">
          <span>on the same two pitches</span>
          <span>{{ Math.round(100 * seems.of_two_pitches) }} % of what begins</span>
        </div>
      </template>
    </template>

    <template v-if="several > 0">
      <h3>What can be done</h3>
      <div class="row">
        <template v-if="notes.partId">
          <template v-if="s.kind[i] === LEFT_OUT && several === 1"
            ><ActButton action="keep" small
          /></template>
          <template v-else>
            <ActButton action="join" small :label="several > 1 ? 'Join' : 'Join with next'" />
            <ActButton action="split" small label="Split" />
            <ActButton action="octave-up" small /><ActButton action="octave-down" small />
            <ActButton action="trim" small label="Trim to the sound" />
            <ActButton action="trim-pedal" small label="Trim to the pedal" />
            <ActButton action="velocity" small />
            <ActButton action="runner-up" small label="Runner-up" />
            <ActButton action="restore" small label="As read" />
            <ActButton action="restrike-beats" small label="Strike at the beats" />
            <ActButton action="restrike-attacks" small label="Strike at attacks" />
            <ActButton action="delete" small />
          </template>
        </template>
        <ActButton action="all-on-pitch" small :label="`All on ${name}`" />
        <ActButton v-if="notes.partId" action="pick" small />
      </div>
      <p v-if="!notes.partId" class="soft">
        A reading is never changed. Accept it as a part to mend its notes.
      </p>
    </template>
    <TextureFindings />
    <PartFindings v-if="notes.part" />
    <ReadingFindings v-if="notes.reading && several < 2" />
    <p v-if="!folio.state?.settings.tempo_set" class="soft">
      No tempo is set: files carry 120 until it is. <ActButton action="time" small />
    </p>
  </aside>
</template>

<style scoped>
.hear {
  margin-top: 8px;
  flex-wrap: nowrap;
}
.hear .act {
  padding-inline: 7px;
  gap: 5px;
}
</style>
