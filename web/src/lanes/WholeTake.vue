<script setup lang="ts">
/** The whole take: one gets around by dragging or stretching the frame. */
import { computed } from 'vue'
import { useNotes } from '../folio/notes'
import { useView } from '../folio/view'
import { usePlayer } from '../player/store'
import { clock } from '../ui/format'
import { drawWhole } from './drawWhole'
import { colours } from './surface'
import { useCanvas } from './useCanvas'
import { usePeaks } from './usePeaks'

const notes = useNotes()
const view = useView()
const player = usePlayer()
const peaks = usePeaks()

useCanvas(
  'whole',
  [() => notes.strokes, peaks, () => view.duration],
  (pen, width, height) => drawWhole(pen, width, height, view.duration, peaks.value, notes.strokes, colours()),
  true,
)
const share = (time: number) => Math.max(0, Math.min(1, time / view.duration)) * 100
const frame = computed(() => ({
  left: `${share(view.from)}%`,
  width: `${share(view.to) - share(view.from)}%`,
}))

let dragged: 'move' | 'left' | 'right' | null = null
let grabbed = 0

function timeAt(event: PointerEvent): number {
  const bounds = (event.currentTarget as HTMLElement).getBoundingClientRect()
  return ((event.clientX - bounds.left) / bounds.width) * view.duration
}
function down(event: PointerEvent) {
  const time = timeAt(event)
  const element = event.currentTarget as HTMLElement
  const near = (view.duration / element.clientWidth) * 7
  if (Math.abs(time - view.from) < near) dragged = 'left'
  else if (Math.abs(time - view.to) < near) dragged = 'right'
  else {
    dragged = 'move'
    if (time < view.from || time > view.to) view.show(time - view.span / 2, time + view.span / 2)
  }
  grabbed = time - view.from
  element.setPointerCapture(event.pointerId)
}
function move(event: PointerEvent) {
  if (!dragged) return
  const time = timeAt(event)
  if (dragged === 'left') view.show(Math.min(time, view.to - 0.01), view.to)
  else if (dragged === 'right') view.show(view.from, Math.max(time, view.from + 0.01))
  else view.show(time - grabbed, time - grabbed + view.span)
}
function key(event: KeyboardEvent) {
  const by = { ArrowLeft: -0.2, ArrowRight: 0.2 }[event.key]
  if (by === undefined) return
  event.preventDefault()
  event.stopPropagation()
  view.pan(by * view.span)
}
</script>

<template>
  <div class="whole">
    <div class="name figures">
      whole take<br /><span class="soft">{{ clock(view.duration, 1) }}</span>
    </div>
    <div
      class="box"
      tabindex="0"
      role="slider"
      aria-label="Stretch in view; arrow keys move it"
      :aria-valuenow="Math.round(view.from)"
      aria-valuemin="0"
      :aria-valuemax="Math.round(view.duration)"
      :aria-valuetext="`${clock(view.from, 1)} to ${clock(view.to, 1)}`"
      @pointerdown="down"
      @pointermove="move"
      @pointerup="dragged = null"
      @keydown="key"
      @dblclick="view.showAll()"
    >
      <canvas ref="whole" />
      <div class="frame" :style="frame" />
      <div class="head" :style="{ left: `${share(player.position)}%` }" />
    </div>
  </div>
</template>

<style scoped>
.whole {
  height: 58px;
  flex: none;
  display: flex;
  background: var(--paper);
  border-bottom: 1px solid var(--hairline);
}
.name {
  width: 108px;
  padding: 11px 14px;
  font-size: 12px;
}
.box {
  position: relative;
  flex: 1;
  margin-right: 16px;
  cursor: grab;
  touch-action: none;
}
canvas {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
}
.frame {
  position: absolute;
  top: 2px;
  bottom: 3px;
  border: 2px solid var(--ink);
  background: color-mix(in srgb, var(--ink) 9%, transparent);
  min-width: 4px;
  pointer-events: none;
}
.head {
  position: absolute;
  top: 2px;
  bottom: 3px;
  width: 1px;
  background: var(--text);
  pointer-events: none;
}
</style>
