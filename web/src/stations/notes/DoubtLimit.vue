<script setup lang="ts">
/** The doubt limit over the candidates it sorts, and what is to be expected of it. */
import { computed } from 'vue'
import { useNotes } from '../../folio/notes'
import { colours } from '../../lanes/surface'
import { useCanvas } from '../../lanes/useCanvas'
import ActButton from '../../ui/ActButton.vue'
import { plural } from '../../ui/format'

const BARS = 50
const notes = useNotes()
const counts = computed(() => {
  const list = new Array<number>(BARS).fill(0)
  for (const c of notes.candidates?.confidence ?? []) list[Math.min(BARS - 1, Math.floor(c * BARS))]++
  return list
})
const total = computed(() => notes.candidates?.confidence.length ?? 0)
const hundredth = computed(() => Math.round(notes.least * 100))
const leftOut = computed(() => total.value - (notes.candidates?.limits.counted[hundredth.value] ?? 0))
const wrong = computed(() => notes.candidates?.limits.wrong[hundredth.value] ?? 0)
const missed = computed(() => notes.candidates?.limits.missed[hundredth.value] ?? 0)
const best = computed(() => notes.candidates?.limits.best ?? notes.least)
const about = (value: number) => (value < 0.5 ? 'none or one' : `about ${Math.round(value)}`)

useCanvas('bars', [counts, () => notes.least], (pen, width, height) => {
  const c = colours()
  const most = Math.log1p(Math.max(1, ...counts.value))
  const step = width / BARS
  counts.value.forEach((count, i) => {
    const tall = (Math.log1p(count) / most) * (height - 6)
    pen.fillStyle = (i + 0.5) / BARS < notes.least ? c.faint : c.wave
    pen.fillRect(i * step, height - tall, step - 1.5, tall)
  })
  pen.fillStyle = c.rule
  pen.fillRect(0, height - 1, width, 1)
})

function goToBest() {
  notes.limitAtBest()
  void notes.commitLimit()
}
function setFrom(event: PointerEvent) {
  const bounds = (event.currentTarget as HTMLElement).getBoundingClientRect()
  notes.least = Math.round(Math.max(0, Math.min(1, (event.clientX - bounds.left) / bounds.width)) * 100) / 100
}
function down(event: PointerEvent) {
  ;(event.currentTarget as HTMLElement).setPointerCapture(event.pointerId)
  setFrom(event)
}
function move(event: PointerEvent) {
  if (event.buttons) setFrom(event)
}
function key(event: KeyboardEvent) {
  const by = {
    ArrowLeft: -0.01,
    ArrowRight: 0.01,
    ArrowDown: -0.01,
    ArrowUp: 0.01,
    PageUp: 0.1,
    PageDown: -0.1,
  }[event.key]
  if (by === undefined) return
  event.preventDefault()
  event.stopPropagation()
  notes.least = Math.round(Math.max(0, Math.min(1, notes.least + by)) * 100) / 100
}
</script>

<template>
  <section class="limit" aria-label="Limits">
    <div class="told figures">
      Doubt limit
      <div class="soft" data-test="left-out">{{ leftOut }} of {{ total }} candidates<br />left out</div>
    </div>
    <div class="slide">
      <div
        class="box"
        role="slider"
        tabindex="0"
        aria-label="Doubt limit"
        :aria-valuenow="notes.least"
        aria-valuemin="0"
        aria-valuemax="1"
        :aria-valuetext="`candidates from ${Math.round(notes.least * 100)} hundredths count`"
        data-test="limit"
        @pointerdown="down"
        @pointermove="move"
        @pointerup="notes.commitLimit()"
        @keydown="key"
        @keyup="notes.commitLimit()"
      >
        <canvas ref="bars" />
        <div class="best" :style="{ left: `${best * 100}%` }" />
        <div class="mark" :style="{ left: `${notes.least * 100}%` }" />
      </div>
      <div class="ends soft figures">
        <span>unsure</span><span>{{ notes.least.toFixed(2) }}</span
        ><span>sure</span>
      </div>
    </div>
    <div class="forms">
      <label>
        <span class="soft">readiness to split</span>
        <input
          v-model.lazy.number="notes.split"
          type="range"
          min="0"
          max="1"
          step="0.05"
          aria-label="How readily a note is split where the pitch moves"
          @change="notes.commitLimit()"
        />
      </label>
      <label>
        <span class="soft"
          >shortest note <span class="figures">{{ Math.round(notes.shortest * 1000) }} ms</span></span
        >
        <input
          v-model.lazy.number="notes.shortest"
          type="range"
          min="0"
          max="0.4"
          step="0.01"
          aria-label="Shortest note"
          @change="notes.commitLimit()"
        />
      </label>
    </div>
    <div class="told figures">
      Expected at this limit
      <div class="soft">wrong: {{ about(wrong) }}<br />missed: {{ about(missed) }}</div>
      <button
        v-if="notes.least.toFixed(2) !== best.toFixed(2)"
        class="to-best"
        title="The limit at which the best reading is to be expected"
        data-test="best-limit"
        @click="goToBest"
      >
        best at {{ best.toFixed(2) }}
      </button>
    </div>
    <div class="walk">
      <ActButton action="next-doubt" small :label="plural(notes.doubts.length, 'doubt') + ': next'" />
      <div class="row"><ActButton action="keep" small /><ActButton action="drop" small /></div>
    </div>
  </section>
</template>

<style scoped>
.limit {
  display: flex;
  gap: 16px;
  padding: 8px 14px;
  border-top: 1px solid var(--rule);
  background: var(--panel);
  flex: none;
  height: 92px;
}
.told {
  font-size: 12px;
  white-space: nowrap;
}
.slide {
  flex: 1;
  min-width: 120px;
}
.box {
  position: relative;
  height: 50px;
  cursor: ew-resize;
  touch-action: none;
}
canvas {
  width: 100%;
  height: 100%;
}
.mark {
  position: absolute;
  top: 0;
  bottom: -4px;
  width: 2px;
  margin-left: -1px;
  background: var(--ink);
}
.mark::after {
  content: '';
  position: absolute;
  left: -5px;
  bottom: -5px;
  border: 6px solid transparent;
  border-top: 0;
  border-bottom: 9px solid var(--ink);
}
.best {
  position: absolute;
  bottom: 0;
  height: 9px;
  margin-left: -1px;
  border-left: 2px dotted var(--ink);
}
.to-best {
  border: 0;
  padding: 0;
  background: none;
  color: inherit;
  font: inherit;
  text-decoration: underline dotted;
  cursor: pointer;
}
.ends {
  display: flex;
  justify-content: space-between;
  font-size: 11px;
  margin-top: 6px;
}
.forms {
  width: 132px;
  font-size: 12px;
}
.forms label {
  display: block;
  line-height: 1.3;
}
.walk {
  display: flex;
  flex-direction: column;
  gap: 6px;
}
@media (max-width: 1200px) {
  .limit {
    flex-wrap: wrap;
    row-gap: 4px;
    height: auto;
  }
  .slide {
    flex-basis: 200px;
  }
  .forms {
    width: auto;
    display: flex;
    gap: 16px;
  }
  .forms label {
    width: 126px;
  }
  .walk {
    flex-flow: row wrap;
    align-items: flex-start;
    margin-left: auto;
  }
}
</style>
