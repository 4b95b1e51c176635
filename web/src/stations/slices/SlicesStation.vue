<script setup lang="ts">
/** Slices: a loop cut, its hits by lane, its kit. */
import { computed, onBeforeUnmount, onMounted, watch } from 'vue'
import { useFolio } from '../../folio/folio'
import { useKits } from '../../folio/kits'
import { useNotes } from '../../folio/notes'
import { usePlayer } from '../../player/store'
import ActButton from '../../ui/ActButton.vue'
import StationEmpty from '../../ui/StationEmpty.vue'
import { HOLDS } from '../../ui/kinds'
import OtherTakes from '../../ui/OtherTakes.vue'
import { hearSlice } from '../../player/hearing'
import LoudnessThreshold from './LoudnessThreshold.vue'
import { PLAY_KEYS } from './playing'
import PadGrid from './PadGrid.vue'
import SliceLanes from './SliceLanes.vue'
import SlicesMargin from './SlicesMargin.vue'

const folio = useFolio()
const kits = useKits()
const notes = useNotes()
const player = usePlayer()

/** In the playing mode letters and figures play slices and nothing else. */
function played(event: KeyboardEvent) {
  if (!kits.playing || event.ctrlKey || event.metaKey || event.altKey) return
  event.stopImmediatePropagation()
  if (event.key === 'Escape') {
    kits.playing = false
    return
  }
  const place = PLAY_KEYS.indexOf(event.key.toLowerCase())
  if (place < 0) return
  event.preventDefault()
  const piece = kits.playable[place]
  if (!piece || event.repeat) return
  kits.select([piece.id])
  void hearSlice(piece)
}
const others = computed(() => folio.takesWith('kits'))
onMounted(() => {
  window.addEventListener('keydown', played, true)
  // Notes that play it may have been edited meanwhile.
  kits.askParts()
  const drums = folio.recordings.filter((id) => folio.state?.takes[id]?.facts.seems?.name === 'drums')
  if (!kits.id) notes.offerSuiting([...others.value, ...drums])
})
onBeforeUnmount(() => {
  window.removeEventListener('keydown', played, true)
  kits.playing = false
  void player.setKit(null)
})
watch(
  [() => kits.id, () => kits.kit],
  () => void player.setKit(kits.kit ? kits.id || null : null, kits.kit?.grid ?? null),
  { immediate: true },
)
</script>

<template>
  <main class="station" aria-label="Slices">
    <template v-if="kits.kit && kits.id">
      <PadGrid v-if="kits.pads" />
      <SliceLanes v-else />
      <LoudnessThreshold />
    </template>
    <div v-else-if="notes.take?.kind === 'audio'" class="ask">
      <h2>Cut “{{ notes.take.name }}”</h2>
      <p>
        Its hits are heard, each with the drums that sound in it, and the recording is cut where they begin.
        <template v-if="notes.take.facts.seems">
          On arrival it seemed to hold {{ HOLDS[notes.take.facts.seems.name] }},
          {{ notes.take.facts.seems.confidence.toFixed(2) }} sure.
        </template>
      </p>
      <template v-if="kits.reading">
        <progress :value="kits.reading.progress" max="1" /> {{ Math.round(kits.reading.progress * 100) }} %
        <button type="button" class="act small" @click="folio.stopJob(kits.reading.id)">Stop this</button>
      </template>
      <ActButton v-else action="cut-loop" label="Cut it" main data-test="cut" />
      <OtherTakes v-if="others.length" :takes="others" has="slices" />
    </div>
    <div v-else-if="notes.take" class="ask">
      <h2>“{{ notes.take.name }}” is MIDI</h2>
      <p>There is no sound in it to cut. Choose a recording above.</p>
      <OtherTakes v-if="others.length" :takes="others" has="slices" />
    </div>
    <StationEmpty v-else />
  </main>
  <SlicesMargin v-if="kits.kit && kits.id" />
</template>
