<script setup lang="ts">
/** Beat: bars and beats on a recording, its tempo, how far attacks lie from the map. */
import { computed, onBeforeUnmount, onMounted, watch } from 'vue'
import { useBeats } from '../../folio/beats'
import { useFolio } from '../../folio/folio'
import { useNotes } from '../../folio/notes'
import { usePlayer } from '../../player/store'
import ActButton from '../../ui/ActButton.vue'
import ChannelSelect from '../../ui/ChannelSelect.vue'
import StationEmpty from '../../ui/StationEmpty.vue'
import BeatLanes from './BeatLanes.vue'
import BeatMargin from './BeatMargin.vue'
import OtherTakes from '../../ui/OtherTakes.vue'
import EvenBeats from './EvenBeats.vue'
import LayScore from './LayScore.vue'
import BeatSummary from './BeatSummary.vue'

const beats = useBeats()
const folio = useFolio()
const notes = useNotes()
const player = usePlayer()

const others = computed(() => folio.takesWith('beat_maps'))
onMounted(() => {
  if (!beats.id) notes.offerSuiting(others.value)
})
onBeforeUnmount(() => player.setTime(null, null))
watch([() => beats.grid, () => beats.ticks], () => player.setTime(beats.grid, beats.ticks), {
  immediate: true,
})
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
      <ActButton v-else action="find-beats" label="Find them" main data-test="find-beats" />
      <label v-if="beats.isStereo && !beats.reading" class="soft heard-in">
        in <ChannelSelect v-model="beats.channels" aria-label="Channels in which beats are heard" />
      </label>
      <EvenBeats v-if="!beats.reading" />
      <LayScore v-if="!beats.reading" />
      <OtherTakes v-if="others.length" :takes="others" has="beats" />
    </div>
    <div v-else-if="notes.take" class="ask">
      <h2>“{{ notes.take.name }}” is MIDI</h2>
      <p>
        There is no sound in it to find beats in. It can be laid on a recording of the same music, as a score:
        choose that take above.
      </p>
      <OtherTakes v-if="others.length" :takes="others" has="beats" />
    </div>
    <StationEmpty v-else />
  </main>
  <BeatMargin v-if="beats.map && beats.id" />
</template>

<style scoped>
.heard-in {
  margin-left: 10px;
}
</style>
