<script setup lang="ts">
/** Beat: bars and beats on a recording, its tempo, how far attacks lie from the map. */
import { onBeforeUnmount, onMounted, watch } from 'vue'
import { useBeats } from '../../folio/beats'
import { useFolio } from '../../folio/folio'
import { useNotes } from '../../folio/notes'
import { usePlayer } from '../../player/store'
import StationEmpty from '../../ui/StationEmpty.vue'
import BeatLanes from './BeatLanes.vue'
import BeatMargin from './BeatMargin.vue'
import LayScore from './LayScore.vue'
import BeatSummary from './BeatSummary.vue'

const beats = useBeats()
const folio = useFolio()
const notes = useNotes()
const player = usePlayer()

onMounted(() => {
  const maps = Object.values(folio.state?.beat_maps ?? {})
  // Whoever comes for beats sees a take that has some, not the line that was mended last.
  if (!beats.id && maps.length) void notes.showTake(maps[0].take)
})
onBeforeUnmount(() => player.setTime(null, null))
watch(
  () => [beats.grid, beats.ticks],
  () => player.setTime(beats.grid, beats.ticks),
  { immediate: true },
)
</script>

<template>
  <main class="station" aria-label="Beat">
    <template v-if="beats.map && beats.id">
      <BeatLanes />
      <BeatSummary />
    </template>
    <div v-else-if="notes.take?.kind === 'audio'" class="ask">
      <h2>Find the beats of “{{ notes.take.name }}”</h2>
      <p>
        Its beats, bars and meters are heard, each with how sure it is. Then they are mended, and become the
        folio’s time, a click, a tempo map to hand on.
      </p>
      <template v-if="beats.reading">
        <progress :value="beats.reading.progress" max="1" /> {{ Math.round(beats.reading.progress * 100) }} %
        <button type="button" class="act small" @click="folio.stopJob(beats.reading.id)">Stop this</button>
      </template>
      <button v-else type="button" class="act main" data-test="find-beats" @click="beats.find()">
        Find them
      </button>
      <LayScore v-if="!beats.reading" />
    </div>
    <StationEmpty v-else />
  </main>
  <BeatMargin v-if="beats.map && beats.id" />
</template>
