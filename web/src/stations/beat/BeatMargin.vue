<script setup lang="ts">
/** What is selected: a beat or several, what was measured of it, what was done, what can be done. */
import { computed } from 'vue'
import { useBeats } from '../../folio/beats'
import { onBeat, toldOf } from '../../folio/mapPlaces'
import ActButton from '../../ui/ActButton.vue'
import ThreeMoments from '../../ui/ThreeMoments.vue'
import { clock, plural, signed } from '../../ui/format'
import BetweenFindings from './BetweenFindings.vue'
import ScoreVoices from './ScoreVoices.vue'

const beats = useBeats()
const map = computed(() => beats.map)
const i = computed(() => beats.focus)
const several = computed(() => beats.selection.size)
const hold = computed(() => map.value?.holds.find((h) => h.beat === i.value) ?? null)
const heard = computed(() => map.value?.heard_s[i.value] ?? null)
const moved = computed(() =>
  map.value && heard.value !== null ? 1000 * (map.value.time_s[i.value] - heard.value) : null,
)
const origin = computed(() =>
  map.value?.pinned[i.value] ? 'pinned' : heard.value === null ? 'laid' : 'read',
)
const within = computed(() => {
  const m = map.value
  if (!m || i.value >= m.doubt_bpm.length) return null
  const gap = m.time_s[i.value + 1] - m.time_s[i.value]
  return Math.round((1000 * gap * m.doubt_bpm[i.value]) / m.felt_bpm[i.value])
})
function bpm(at: number): string {
  if (map.value?.holds.some((h) => h.beat === at)) return 'held'
  return map.value?.felt_bpm[at]?.toFixed(1) ?? '–'
}
</script>

<template>
  <aside v-if="map" class="margin" aria-label="Findings">
    <BetweenFindings v-if="beats.between >= 0" />
    <template v-else-if="i >= 0">
      <h2 v-if="several > 1">{{ plural(several, 'beat') }} <small>selected</small></h2>
      <h2 v-else>
        Bar {{ map.bar[i] }}, beat {{ map.beat[i] }} <small>{{ origin }}</small>
      </h2>
      <div class="row">
        <ActButton action="beat-with-click" small /><ActButton action="beat-hear" small /><ActButton
          action="beat-loop"
          small
        />
      </div>
      <template v-if="several === 1">
        <h3>What was measured</h3>
        <div class="finding">
          <span>attack here</span
          ><span
            >{{ heard === null ? 'none' : clock(heard, 4)
            }}<template v-if="heard !== null && within"> ± {{ within }} ms</template></span
          >
        </div>
        <div class="finding">
          <span>map says</span><span>{{ clock(map.time_s[i], 4) }}</span>
        </div>
        <div class="finding">
          <span>drift</span
          ><span>{{ map.drift_ms[i] === null ? '–' : `${signed(map.drift_ms[i] ?? 0, 1)} ms` }}</span>
        </div>
        <div class="finding">
          <span>sure</span><span>{{ map.confidence[i].toFixed(2) }}</span>
        </div>
        <div class="finding">
          <span>tempo before</span><span>{{ bpm(i - 1) }}</span>
        </div>
        <div class="finding">
          <span>tempo after</span><span>{{ bpm(i) }}</span>
        </div>
        <ThreeMoments :told="toldOf(map, onBeat(i))" @pin="beats.put(onBeat(i), $event)" />
        <h3>What was done to it</h3>
        <div v-if="map.pinned[i]" class="finding">
          <span>pinned by hand</span
          ><span>{{ moved === null ? 'nothing heard' : `${signed(moved, 1)} ms` }}</span>
        </div>
        <div v-else class="finding">
          <span>{{ map.steady[i] ? 'made steady' : 'smoothed away' }}</span><span>{{
            moved === null ? '–' : `${signed(moved, 1)} ms`
          }}</span>
        </div>
        <div v-if="hold" class="finding">
          <span>held</span
          ><span>written {{ plural(hold.written_beats, 'beat') }}, real {{ hold.real_s.toFixed(2) }} s</span>
        </div>
      </template>
      <h3>What can be done</h3>
      <div class="row">
        <ActButton action="beat-pin" small :pressed="map.pinned[i]" />
        <ActButton action="beat-attack" small />
        <ActButton action="beat-is" small />
        <ActButton action="beat-meter" small />
        <ActButton action="beat-hold" small :pressed="hold !== null" />
        <ActButton action="beat-reread" small />
        <ActButton action="beat-here" small />
        <ActButton action="beat-half" small />
        <ActButton action="beat-double" small />
        <ActButton action="beat-off" small />
        <ActButton action="beat-steady" small :pressed="beats.selectedSteady" />
        <ActButton action="beat-click" small />
        <ActButton action="beat-remove" small />
      </div>
    </template>
    <template v-else>
      <h2>
        {{ map.name }} <small>{{ plural(map.time_s.length, 'beat') }}</small>
      </h2>
      <p class="soft">
        Click a stem or walk with the arrow keys; drag one to where the beat is. A double click puts a beat
        in. Shift selects up to a beat.
      </p>
      <div class="row">
        <ActButton action="beat-weak" small /><ActButton action="beat-insert" small /><ActButton
          action="beat-marker"
          small
        /><ActButton action="beat-meter" small />
      </div>
    </template>
    <h3>The folio’s time</h3>
    <p v-if="map.rules" class="soft" data-test="rules">
      These beats rule the folio’s time. What was recorded never moves.
    </p>
    <div v-else class="row"><ActButton action="beat-rule" small /></div>
    <div class="row"><ActButton action="hand-on" label="Hand the time on" small /></div>
    <ScoreVoices v-if="map.score" />
  </aside>
</template>
