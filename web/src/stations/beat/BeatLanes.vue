<script setup lang="ts">
/** The recording with its beats as stems, the tempo curve and the drift strip, on one time axis. */
import { computed, ref } from 'vue'
import { useBeats } from '../../folio/beats'
import { placeNear, toldOf, type Place } from '../../folio/mapPlaces'
import { useView } from '../../folio/view'
import { drawDrift, drawLaneName, drawStems } from '../../lanes/drawBeats'
import { drawTempo } from '../../lanes/drawTempo'
import { drawRuler } from '../../lanes/drawRuler'
import { drawWave } from '../../lanes/drawWave'
import { colours } from '../../lanes/surface'
import { useCanvas } from '../../lanes/useCanvas'
import { useLaneTime } from '../../lanes/useLaneTime'
import { usePeaks } from '../../lanes/usePeaks'
import { usePlayer } from '../../player/store'

const LEFT = 62
const TOUCH_PX = 7
const DRAG_PX = 3
const beats = useBeats()
const view = useView()
const player = usePlayer()
const peaks = usePeaks()
const drag = ref<{ place: Place; from: number; seconds: number } | null>(null)
const inView = [() => view.from, () => view.to] as const
const shown = [...inView, () => beats.map, () => beats.selection, () => beats.between] as const
const { axis, wheel, head } = useLaneTime(LEFT)

function within(pen: CanvasRenderingContext2D, width: number, height: number) {
  pen.translate(LEFT, 0)
  pen.beginPath()
  pen.rect(-LEFT, 0, width, height)
  pen.clip()
}
function inside(pen: CanvasRenderingContext2D, width: number, height: number) {
  pen.translate(LEFT, 0)
  pen.beginPath()
  pen.rect(0, 0, width - LEFT, height)
  pen.clip()
}
useCanvas('ruler', [...inView, () => player.grid], (pen, width, height) => {
  pen.translate(LEFT, 0)
  drawRuler(pen, axis(width), height, player.grid, colours())
})
useCanvas('stems', [...shown, peaks, drag], (pen, width, height) => {
  const c = colours()
  const time = axis(width)
  inside(pen, width, height)
  if (peaks.value) drawWave(pen, time, 6, height - 12, peaks.value, c.wave)
  if (!beats.map) return
  drawStems(pen, time, height, beats.map, beats.selection, c, beats.between)
  if (drag.value) {
    pen.fillStyle = c.madder
    pen.fillRect(time.x(drag.value.from + drag.value.seconds), 0, 1.5, height)
  }
})
useCanvas('tempo', [...shown], (pen, width, height) => {
  const c = colours()
  drawLaneName(pen, 'tempo', c)
  within(pen, width, height)
  if (beats.map) drawTempo(pen, axis(width), height, beats.map, beats.selection, c, beats.between)
})
useCanvas('drift', [...shown], (pen, width, height) => {
  const c = colours()
  drawLaneName(pen, 'drift', c)
  within(pen, width, height)
  if (beats.map) drawDrift(pen, axis(width), height, beats.map, beats.selection, c)
})

let startX = 0
function at(event: PointerEvent | MouseEvent) {
  const bounds = (event.currentTarget as HTMLElement).getBoundingClientRect()
  const time = axis(bounds.width)
  const x = event.clientX - bounds.left - LEFT
  return { x, moment: time.time(x), time }
}
function down(event: PointerEvent) {
  if (event.button !== 0 || !beats.map) return
  const { x, moment, time } = at(event)
  const place = placeNear(beats.map, moment)
  const from = toldOf(beats.map, place).time_s
  startX = x
  if (Math.abs(time.x(from) - x) > TOUCH_PX) {
    player.seek(moment)
    beats.select([])
    return
  }
  if (event.shiftKey && place.beat !== null) return beats.selectTo(place.beat)
  ;(event.currentTarget as HTMLElement).setPointerCapture(event.pointerId)
  beats.selectPlace(place)
  if (!player.playing) player.position = from
  drag.value = { place, from, seconds: 0 }
}
function move(event: PointerEvent) {
  const { x, moment, time } = at(event)
  view.pointerTime = moment
  if (drag.value) drag.value = { ...drag.value, seconds: (x - startX) * time.perPixel }
}
function up(event: PointerEvent) {
  const moved = drag.value
  drag.value = null
  if (!moved || Math.abs(at(event).x - startX) <= DRAG_PX) return
  void beats.put(moved.place, moved.from + moved.seconds)
}
function insertHere(event: MouseEvent) {
  void beats.edit('insert', { time_s: at(event).moment }, [])
}
function rulerDown(event: PointerEvent) {
  player.seek(at(event).moment)
}
const told = computed(
  () =>
    `${beats.map?.time_s.length ?? 0} beats on the recording. Walk through them with the arrow keys; the same as a table: Shift T.`,
)
</script>

<template>
  <div class="lanes" @wheel="wheel" @pointerleave="view.pointerTime = null">
    <canvas ref="ruler" class="ruler" aria-label="Ruler" @pointerdown="rulerDown" @pointermove="move" />
    <canvas
      ref="stems"
      class="stems"
      role="img"
      data-test="stems"
      :aria-label="told"
      @pointerdown="down"
      @pointermove="move"
      @pointerup="up"
      @dblclick="insertHere"
    />
    <canvas
      ref="tempo"
      class="tempo"
      role="img"
      aria-label="Tempo"
      @pointerdown="down"
      @pointermove="move"
      @pointerup="up"
    />
    <canvas
      ref="drift"
      class="drift"
      role="img"
      aria-label="Drift: attacks against the map"
      @pointerdown="down"
      @pointermove="move"
      @pointerup="up"
    />
    <div class="head" :style="head" />
  </div>
</template>

<style scoped>
.stems,
.tempo,
.drift {
  border-bottom: 1px solid var(--rule);
}
.stems {
  flex: 1.1;
  min-height: 80px;
}
.tempo {
  flex: 1.5;
  min-height: 90px;
}
.drift {
  flex: 1.4;
  min-height: 90px;
}
</style>
