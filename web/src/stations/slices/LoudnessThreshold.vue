<script setup lang="ts">
/** The loudness threshold over the hits it sorts, and what was found of the loop's tempo. */
import { computed } from 'vue'
import { RESTS_MS, useKits } from '../../folio/kits'
import { LANES } from '../../folio/hitLanes'
import { colours } from '../../lanes/surface'
import { useCanvas } from '../../lanes/useCanvas'
import { plural, signed } from '../../ui/format'
import LoopTempo from './LoopTempo.vue'

const QUIETEST_DB = -60
const MOST_BARS = 160
const kits = useKits()
const threshold = computed(() => kits.tried?.threshold_db ?? kits.kit?.kit.threshold_db ?? QUIETEST_DB)
const sure = computed(() => kits.tried?.least_confidence ?? kits.kit?.kit.least_confidence ?? 0.5)
const loudest = computed(() => Math.max(...(kits.kit?.moment_db ?? [0])))
/** Loudness of each moment that is sure enough against the loudest; of very many only the loudest a bar. */
const bars = computed(() => {
  const view = kits.kit
  if (!view) return []
  const levels = view.moment_db
    .map((db) => db - loudest.value)
    .filter((_, i) => view.moment_confidence[i] >= sure.value)
  if (levels.length <= MOST_BARS) return levels
  const each = levels.length / MOST_BARS
  return Array.from({ length: MOST_BARS }, (_, k) =>
    Math.max(...levels.slice(Math.floor(k * each), Math.floor((k + 1) * each) || 1)),
  )
})
const found = computed(() => kits.kit?.moment_db.length ?? 0)
const byHand = computed(() => kits.slices.filter((s) => s.by_hand).length)
const heightOf = (db: number) => Math.max(0, Math.min(1, (db - QUIETEST_DB) / -QUIETEST_DB))

useCanvas('bars', [bars, threshold], (pen, width, height) => {
  const c = colours()
  const step = width / Math.max(bars.value.length, 1)
  bars.value.forEach((db, i) => {
    const tall = Math.max(2, heightOf(db) * (height - 4))
    pen.fillStyle = db < threshold.value ? c.faint : c.wave
    pen.fillRect(i * step, height - tall, Math.max(step - 2.5, 1), tall)
  })
  const y = height - heightOf(threshold.value) * (height - 4)
  pen.fillStyle = c.ink
  pen.fillRect(0, y - 1, width - 9, 2)
  pen.beginPath()
  pen.moveTo(width - 10, y)
  pen.lineTo(width, y - 6)
  pen.lineTo(width, y + 6)
  pen.fill()
})

function setDb(db: number) {
  kits.tryThresholds({ threshold_db: Math.round(Math.max(QUIETEST_DB, Math.min(0, db))) })
}
function setFrom(event: PointerEvent) {
  const bounds = (event.currentTarget as HTMLElement).getBoundingClientRect()
  setDb(QUIETEST_DB * ((event.clientY - bounds.top) / bounds.height))
}
function down(event: PointerEvent) {
  ;(event.currentTarget as HTMLElement).setPointerCapture(event.pointerId)
  setFrom(event)
}
function key(event: KeyboardEvent) {
  const by = { ArrowUp: 1, ArrowRight: 1, ArrowDown: -1, ArrowLeft: -1, PageUp: 6, PageDown: -6 }[event.key]
  if (by === undefined) return
  event.preventDefault()
  event.stopPropagation()
  setDb(threshold.value + by)
}
function setLane(lane: string, event: Event) {
  const value = (event.target as HTMLInputElement).value
  const lanes = { ...(kits.kit?.kit.lane_thresholds_db ?? {}) }
  if (value === '') Reflect.deleteProperty(lanes, lane)
  else lanes[lane] = Math.max(QUIETEST_DB, Math.min(0, Number(value)))
  void kits.change({ lane_thresholds_db: lanes })
}
const drums = LANES.filter((l) => l !== 'ghost')
</script>

<template>
  <section class="under" aria-label="Loudness threshold and tempo of the loop">
    <div class="told figures">
      Loudness
      <div class="soft">threshold {{ signed(threshold) }} dB</div>
      <div class="soft" data-test="found">
        {{ kits.playable.length }} slices<br />of {{ found }} found, {{ byHand }} by hand
      </div>
    </div>
    <div
      class="box"
      role="slider"
      tabindex="0"
      aria-label="Loudness threshold"
      aria-orientation="vertical"
      :aria-valuenow="threshold"
      :aria-valuemin="QUIETEST_DB"
      aria-valuemax="0"
      :aria-valuetext="`${threshold} dB under the loudest, ${plural(kits.playable.length, 'slice')}`"
      data-test="threshold"
      @pointerdown="down"
      @pointermove="(event) => event.buttons && setFrom(event)"
      @pointerup="kits.keepThresholds()"
      @keydown="key"
      @keyup="kits.keepThresholds(RESTS_MS)"
    >
      <canvas ref="bars" />
    </div>
    <details class="by-drum">
      <summary class="soft">by drum</summary>
      <div class="lane-list">
        <label v-for="drum in drums" :key="drum" class="soft">
          {{ drum }}
          <input
            class="field"
            type="number"
            min="-60"
            max="0"
            placeholder="same"
            :value="kits.kit?.kit.lane_thresholds_db[drum] ?? ''"
            :aria-label="`Threshold of ${drum}, dB`"
            @change="setLane(drum, $event)"
          />
        </label>
        <label class="soft">
          least sure
          <input
            type="range"
            min="0.05"
            max="0.95"
            step="0.05"
            :value="sure"
            aria-label="How sure a hit must be to make a cut"
            @input="
              kits.tryThresholds({ least_confidence: Number(($event.target as HTMLInputElement).value) })
            "
            @change="kits.keepThresholds(RESTS_MS)"
          />
          <span class="figures">{{ sure.toFixed(2) }}</span>
        </label>
      </div>
    </details>
    <LoopTempo />
  </section>
</template>

<style scoped>
.under {
  flex: none;
  display: flex;
  gap: 22px;
  align-items: flex-start;
  height: 142px;
  padding: 12px 16px;
  background: var(--panel);
  border-top: 1px solid var(--rule);
}
.told {
  width: 132px;
  flex: none;
}
.box {
  flex: 1;
  height: 96px;
  min-width: 120px;
  cursor: ns-resize;
  touch-action: none;
}
canvas {
  display: block;
  width: 100%;
  height: 100%;
}
.by-drum {
  position: relative;
  flex: none;
}
@media (max-width: 1200px) {
  .under {
    gap: 10px;
  }
  .told {
    width: 112px;
  }
  .box {
    min-width: 70px;
  }
}
.lane-list {
  position: absolute;
  bottom: 24px;
  left: -60px;
  z-index: 5;
  display: grid;
  gap: 4px;
  padding: 10px;
  width: 190px;
  background: var(--panel);
  border: 1px solid var(--rule);
}
.lane-list label {
  display: flex;
  justify-content: space-between;
  gap: 8px;
  align-items: center;
}
.lane-list .field {
  width: 76px;
}
</style>
