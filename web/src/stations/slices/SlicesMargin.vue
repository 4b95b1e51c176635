<script setup lang="ts">
/** The page of findings for slices: what was measured, what was done, what can be done; the kit. */
import { computed } from 'vue'
import type { HitLane } from '../../folio/hitLanes'
import { useKits } from '../../folio/kits'
import ActButton from '../../ui/ActButton.vue'
import { clock, decibels, isShown, pitchName, plural, signed } from '../../ui/format'
import KitFindings from './KitFindings.vue'
import ReplaceSlice from './ReplaceSlice.vue'

const kits = useKits()
const piece = computed(() => kits.focus)
const several = computed(() => kits.selection.size)
const main = computed(
  () => [...(piece.value?.strikes ?? [])].sort((a, b) => b.confidence - a.confidence)[0] ?? null,
)
const drums = computed(() => piece.value?.strikes.map((s) => s.kind).join(' and ') || 'no drum read')
const moved = computed(() => {
  const s = piece.value
  return s?.read_s == null ? null : 1000 * (s.first_s - s.read_s)
})
/** How far off the attack may be; nothing for a cut that has none. */
const within = computed(() => (piece.value?.within_ms ? ` ± ${piece.value.within_ms.toFixed(1)} ms` : ''))
const breaks = computed(() => kits.nulled?.breaking.find(([id]) => id === piece.value?.id))
const value = (event: Event) => (event.target as HTMLInputElement).value
</script>

<template>
  <aside class="margin" aria-label="Findings">
    <template v-if="piece">
      <h2 v-if="several > 1">
        {{ plural(several, 'slice') }} <small>{{ kits.lane ? `called ${kits.lane}` : 'selected' }}</small>
      </h2>
      <h2 v-else>
        Slice {{ kits.place + 1 }}
        <small>{{ kits.place + 1 }} of {{ kits.playable.length }}, {{ drums }}</small>
      </h2>
      <div class="row">
        <ActButton action="hear-slice" small /><ActButton action="hear-in-loop" small /><ActButton
          action="hear-rebuilt"
          small
        />
      </div>
      <template v-if="several === 1">
        <h3>What was measured</h3>
        <div class="finding">
          <span>attack</span><span>{{ clock(piece.read_s ?? piece.first_s, 4) }}{{ within }}</span>
        </div>
        <div class="finding">
          <span>lasts</span><span>{{ Math.round(1000 * (piece.last_s - piece.first_s)) }} ms</span>
        </div>
        <div v-if="main" class="finding">
          <span>level</span><span>{{ decibels(piece.level_db) }} → velocity {{ main.velocity }}</span>
        </div>
        <div v-for="strike in piece.strikes" :key="strike.drum" class="finding">
          <span>{{ strike.kind }}{{ strike.ghost ? ', ghost' : '' }}</span
          ><span>{{ strike.confidence.toFixed(2) }}</span>
        </div>
        <div v-if="main?.runner_up && isShown(main.runner_up_share)" class="finding">
          <span>could be</span><span>{{ main.runner_up }} {{ main.runner_up_share.toFixed(2) }}</span>
        </div>
        <div class="finding">
          <span>from the straight 16th</span><span>{{ signed(piece.off_grid_ms) }} ms</span>
        </div>
        <h3>What was done to it</h3>
        <div class="finding">
          <span>set by hand</span><span>{{ piece.by_hand ? 'yes' : 'no' }}</span>
        </div>
        <div v-if="moved" class="finding">
          <span>cut moved</span><span>{{ signed(moved, 1) }} ms</span>
        </div>
        <div v-if="breaks" class="finding">
          <span>differs from the loop</span><span>{{ decibels(breaks[1]) }}</span>
        </div>
      </template>
      <label class="finding">
        <span>gain</span>
        <input
          type="range"
          min="-24"
          max="12"
          step="0.5"
          :value="piece.settings.gain_db"
          aria-label="Gain of the slice in dB"
          @change="kits.edit('set', { gain_db: Number(value($event)) })"
        />
        <span>{{ signed(piece.settings.gain_db, 1) }} dB</span>
      </label>
      <label class="finding">
        <span>fade</span>
        <input
          type="range"
          min="0"
          max="0.5"
          step="0.005"
          :value="piece.settings.fade_s"
          aria-label="Fade at the slice’s end"
          @change="kits.edit('set', { fade_s: Number(value($event)) })"
        />
        <span>{{ Math.round(1000 * piece.settings.fade_s) }} ms</span>
      </label>
      <template v-if="several === 1">
        <label class="finding">
          <span>key, {{ piece.key == null ? 'none' : pitchName(piece.key) }}</span>
          <input
            class="field"
            type="number"
            min="0"
            max="127"
            placeholder="none"
            :value="piece.key"
            aria-label="Key of the slice, empty for its place in the row"
            @change="kits.edit('set', { key: value($event) === '' ? null : Number(value($event)) })"
          />
        </label>
        <ReplaceSlice />
      </template>
      <h3>What can be done</h3>
      <div class="row">
        <ActButton action="slice-reverse" small :pressed="piece.settings.reversed" />
        <ActButton action="slice-mute" small :pressed="piece.settings.muted" />
        <ActButton action="slice-end" small :pressed="piece.settings.end === 'sound'" />
        <ActButton action="slice-two" small />
        <ActButton action="slice-attack" small />
        <ActButton action="slice-zero" small />
        <ActButton action="slice-remove" small />
        <ActButton action="slice-as-read" small />
        <ActButton action="slice-lane" small />
      </div>
      <p v-if="kits.lane" class="soft" data-test="lane">
        All hits called {{ kits.lane }}: another drum’s key renames them. What else sounds in these slices
        stays.
      </p>
      <div class="row drums" aria-label="Its drum">
        <ActButton
          v-for="drum in ['kick', 'snare', 'hat', 'tom', 'cymbal', 'other']"
          :key="drum"
          :action="`drum-${drum}`"
          small
          :pressed="kits.lane ? drum === kits.lane : piece.strikes.some((s) => s.drum === drum)"
        />
      </div>
    </template>
    <template v-else>
      <h2>
        {{ kits.kit?.kit.name }} <small>{{ plural(kits.playable.length, 'slice') }}</small>
      </h2>
      <p class="soft">
        Click a strip to hear it, or walk through them with the arrow keys. A double click cuts.
      </p>
      <p v-for="lane in kits.kit?.lanes_in_doubt" :key="lane.drum" class="soft" data-test="lane-doubt">
        {{ plural(lane.strokes, 'stroke') }} called {{ lane.drum }} may be another drum: sure
        {{ lane.sure.toFixed(2) }} in the mean.
        <button type="button" class="act small" @click="kits.selectLane(lane.drum as HitLane)">
          All of this drum
        </button>
      </p>
      <div class="row">
        <ActButton action="slice-doubt" small /><ActButton
          action="slice-pads"
          small
          :pressed="kits.pads"
        /><ActButton action="slice-play-mode" small :pressed="kits.playing" />
      </div>
    </template>
    <p v-if="kits.playing" class="mode" role="status">
      Playing mode: 1 to 0 and letters play slices. Esc leaves it.
    </p>
    <KitFindings />
  </aside>
</template>

<style scoped>
.finding input[type='range'] {
  width: 110px;
}
.mode {
  color: var(--madder);
}
</style>
