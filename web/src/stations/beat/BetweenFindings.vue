<script setup lang="ts">
/** What was measured of an onset between beats, and what can be done about it. */
import { computed } from 'vue'
import { useBeats } from '../../folio/beats'
import { toldOf } from '../../folio/mapPlaces'
import ActButton from '../../ui/ActButton.vue'
import ThreeMoments from '../../ui/ThreeMoments.vue'
import { clock, signed } from '../../ui/format'

const beats = useBeats()
const told = computed(() => (beats.map && beats.place ? toldOf(beats.map, beats.place) : null))
const moved = computed(() =>
  told.value?.heard_s == null ? null : 1000 * (told.value.time_s - told.value.heard_s),
)
function pinAt(time_s: number) {
  if (beats.place) void beats.put(beats.place, time_s)
}
</script>

<template>
  <template v-if="told">
    <h2>
      Bar {{ told.bar }}, beat {{ told.beat }} <small>{{ told.pinned ? 'pinned' : 'written' }}</small>
    </h2>
    <div class="row"><ActButton action="beat-with-click" small /><ActButton action="beat-hear" small /></div>
    <h3>What was measured</h3>
    <div class="finding">
      <span>begins here</span><span>{{ told.heard_s === null ? 'none' : clock(told.heard_s, 4) }}</span>
    </div>
    <div class="finding">
      <span>sure within 50 ms</span><span>{{ told.confidence.toFixed(2) }}</span>
    </div>
    <ThreeMoments :told="told" @pin="pinAt" />
    <h3>What was done to it</h3>
    <div class="finding">
      <span>{{ told.pinned ? 'pinned by hand' : 'moved with its beats' }}</span>
      <span>{{ moved === null ? '–' : `${signed(moved, 1)} ms` }}</span>
    </div>
    <h3>What can be done</h3>
    <div class="row">
      <ActButton action="beat-pin" small :pressed="told.pinned" />
      <ActButton action="beat-attack" small />
      <ActButton action="beat-here" small />
      <ActButton action="beat-reread" small />
    </div>
    <p class="soft">Pinned, the map goes through it, and what follows in this beat goes along.</p>
  </template>
</template>
