<script setup lang="ts">
/** The loop as strips of paper over its hits by lane, on one time axis. */
import { ref } from 'vue'
import { LANES } from '../../folio/hitLanes'
import { useKits, type SliceBody } from '../../folio/kits'
import { useView } from '../../folio/view'
import { drawGrid, drawRuler } from '../../lanes/drawRuler'
import { drawHitLanes, drawLaneNames, drawStripMarks, drawStrips, LANE_PX } from '../../lanes/drawSlices'
import { drawWave } from '../../lanes/drawWave'
import { colours } from '../../lanes/surface'
import { useCanvas } from '../../lanes/useCanvas'
import { useLaneTime } from '../../lanes/useLaneTime'
import { usePeaks } from '../../lanes/usePeaks'
import { usePlayer } from '../../player/store'
import { hearSlice } from '../../player/hearing'
import { PLAY_KEYS } from './playing'

const LEFT = 96
const DRAG_PX = 4
const EDGE_PX = 6
const kits = useKits()
const view = useView()
const player = usePlayer()
const peaks = usePeaks()
const drag = ref<{ id: string; seconds: number } | null>(null)
const inView = [() => view.from, () => view.to] as const
const { axis, wheel, head } = useLaneTime(LEFT)

useCanvas('ruler', [...inView, () => player.grid], (pen, width, height) => {
  pen.translate(LEFT, 0)
  drawRuler(pen, axis(width), height, player.grid, colours())
})
function clipped(pen: CanvasRenderingContext2D, width: number, height: number) {
  pen.beginPath()
  pen.rect(LEFT, 0, width - LEFT, height)
  pen.clip()
  pen.translate(LEFT, 0)
}
function label(piece: SliceBody, place: number): string {
  const number = kits.playable.indexOf(piece)
  if (number < 0) return ''
  return kits.playing ? (PLAY_KEYS[number] ?? '').toUpperCase() : String(number + 1 || place)
}
useCanvas(
  'strips',
  [...inView, peaks, () => kits.kit, () => kits.selection, () => kits.playing, drag],
  (pen, width, height) => {
    const c = colours()
    const time = axis(width)
    clipped(pen, width, height)
    if (!kits.kit) return
    drawStrips(pen, time, height, kits.kit, c)
    if (peaks.value) drawWave(pen, time, 14, height - 52, peaks.value, c.wave)
    drawStripMarks(pen, time, height, kits.kit, kits.selection, label, c)
    const moved = drag.value && kits.slices.find((s) => s.id === drag.value?.id)
    if (moved && drag.value) {
      pen.fillStyle = c.madder
      pen.fillRect(time.x(moved.first_s + drag.value.seconds), 6, 1.5, height - 30)
    }
  },
)
useCanvas(
  'hits',
  [...inView, () => kits.kit, () => kits.selection, () => kits.lane, () => player.grid],
  (pen, width, height) => {
    const c = colours()
    const doubted = new Map(kits.kit?.lanes_in_doubt.map((lane) => [lane.drum, lane.sure]))
    drawLaneNames(pen, LEFT, width, kits.kit?.kit.lane_thresholds_db ?? {}, doubted, c)
    clipped(pen, width, height)
    drawGrid(pen, axis(width), height, player.grid, c)
    if (kits.kit) drawHitLanes(pen, axis(width), kits.kit, kits.selection, kits.lane, c)
  },
)

function at(event: PointerEvent | MouseEvent) {
  const bounds = (event.currentTarget as HTMLElement).getBoundingClientRect()
  const time = axis(bounds.width)
  return { x: event.clientX - bounds.left - LEFT, y: event.clientY - bounds.top, time }
}
function sliceAt(moment: number): SliceBody | null {
  return kits.playable.find((s) => s.first_s <= moment && moment < s.last_s) ?? null
}
let startX = 0
function down(event: PointerEvent) {
  if (event.button !== 0) return
  const { x, time } = at(event)
  const edge = kits.playable.find((s) => Math.abs(time.x(s.first_s) - x) <= EDGE_PX)
  const piece = edge ?? sliceAt(time.time(x))
  startX = x
  if (!piece) {
    kits.select([])
    player.seek(time.time(x))
    return
  }
  ;(event.currentTarget as HTMLElement).setPointerCapture(event.pointerId)
  kits.select([piece.id], event.shiftKey)
  player.position = piece.first_s
  if (edge) drag.value = { id: edge.id, seconds: 0 }
  void hearSlice(piece)
}
function move(event: PointerEvent) {
  const { x, time } = at(event)
  view.pointerTime = time.time(x)
  if (drag.value) drag.value = { ...drag.value, seconds: (x - startX) * time.perPixel }
}
function up(event: PointerEvent) {
  const moved = drag.value
  drag.value = null
  if (moved && Math.abs(at(event).x - startX) > DRAG_PX)
    void kits.edit('nudge', { by_s: moved.seconds }, [moved.id])
}
function cutHere(event: MouseEvent) {
  const { x, time } = at(event)
  void kits.edit('cut', { at_s: time.time(x) }, [])
}
function laneDown(event: PointerEvent) {
  const { x, y, time } = at(event)
  const lane = LANES[Math.floor(y / LANE_PX)]
  const near = kits.playable
    .filter((s) => Math.abs(time.x(s.first_s) - x) < 12)
    .sort((a, b) => Math.abs(time.x(a.first_s) - x) - Math.abs(time.x(b.first_s) - x))[0]
  if (near) {
    kits.select([near.id], event.shiftKey)
    player.position = near.first_s
    void hearSlice(near)
  } else if (x < 0 && lane) kits.selectLane(lane)
  else player.seek(time.time(x))
}
function rulerDown(event: PointerEvent) {
  player.seek(at(event).time.time(at(event).x))
}
</script>

<template>
  <div class="lanes" @wheel="wheel" @pointerleave="view.pointerTime = null">
    <canvas ref="ruler" class="ruler" aria-label="Ruler" @pointerdown="rulerDown" @pointermove="move" />
    <canvas
      ref="strips"
      class="strips"
      role="img"
      data-test="strips"
      :aria-label="`The loop in ${kits.playable.length} slices. Walk through them with the arrow keys; the same as a table: Shift T.`"
      @pointerdown="down"
      @pointermove="move"
      @pointerup="up"
      @dblclick="cutHere"
    />
    <canvas
      ref="hits"
      class="hits"
      role="img"
      :style="{ height: `${LANES.length * LANE_PX}px` }"
      aria-label="Hits by drum"
      @pointerdown="laneDown"
      @pointermove="move"
    />
    <div class="head" :style="head" />
  </div>
</template>

<style scoped>
.strips {
  flex: 1;
  min-height: 90px;
  border-bottom: 1px solid var(--rule);
}
.hits {
  flex: none;
}
</style>
