<script setup lang="ts">
/** Of a note of an aligned score: where it is written, how sure its moment is, three moments that can be pinned. */
import { computed, watch } from 'vue'
import { useBeats } from '../../folio/beats'
import { placeAt, toldOf } from '../../folio/mapPlaces'
import { useNotes } from '../../folio/notes'
import ThreeMoments from '../../ui/ThreeMoments.vue'
import { clock, signed } from '../../ui/format'

const beats = useBeats()
const notes = useNotes()
// A take may have several maps: this part follows its own.
watch(
  () => notes.part?.beat_map,
  (id) => (beats.chosenMap = id ?? beats.chosenMap),
  { immediate: true },
)
const note = computed(() => notes.focusNote)
const place = computed(() => {
  const follows = beats.map && beats.map.id === notes.part?.beat_map
  return follows && beats.map && note.value ? placeAt(beats.map, note.value.onset_s) : null
})
const told = computed(() => (beats.map && place.value ? toldOf(beats.map, place.value) : null))
const moved = computed(() =>
  told.value?.heard_s == null ? null : 1000 * (told.value.time_s - told.value.heard_s),
)
function pinAt(time_s: number) {
  if (place.value) void beats.put(place.value, time_s)
}
function pinOrRelease() {
  if (place.value && told.value) void beats.pin(place.value, !told.value.pinned)
}
</script>

<template>
  <template v-if="told">
    <h3>Where it is written</h3>
    <div class="finding">
      <span>place</span><span>bar {{ told.bar }}, beat {{ told.beat }}</span>
    </div>
    <div class="finding">
      <span>begins here</span><span>{{ told.heard_s === null ? 'none' : clock(told.heard_s) }}</span>
    </div>
    <div class="finding">
      <span>sure within 50 ms</span><span>{{ told.confidence.toFixed(2) }}</span>
    </div>
    <ThreeMoments :told="told" @pin="pinAt" />
    <div v-if="moved" class="finding">
      <span>{{ told.pinned ? 'pinned by hand' : 'moved with its beats' }}</span>
      <span>{{ signed(moved, 1) }} ms</span>
    </div>
    <div class="row">
      <button
        type="button"
        class="act small"
        :aria-pressed="told.pinned"
        data-test="pin-onset"
        @click="pinOrRelease"
      >
        {{ told.pinned ? 'Release it' : 'Pin it here' }}
      </button>
      <span class="soft">with all that is written there</span>
    </div>
  </template>
  <p v-else-if="note?.origin" class="soft">Moved by hand: it no longer begins where the score has it.</p>
</template>
