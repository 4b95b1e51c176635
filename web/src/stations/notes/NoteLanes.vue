<script setup lang="ts">
/** Ruler, recording and stave on one time axis; notes are selected, moved and stretched here. */
import { computed, ref } from 'vue'
import { useEvidence } from '../../folio/evidence'
import { useNotes } from '../../folio/notes'
import { LEFT_OUT } from '../../folio/strokes'
import { useView } from '../../folio/view'
import { drawGrid, drawRuler } from '../../lanes/drawRuler'
import { drawDrumLines, drawMeasured, drawStaveLines, drawStrokes, drawTogether } from '../../lanes/drawStave'
import { drawMiddle, drawWave } from '../../lanes/drawWave'
import { PitchAxis, pitchRange, TimeAxis, type Hit } from '../../lanes/geometry'
import { hitStroke } from '../../lanes/hit'
import { colours, SMALL_FIGURES } from '../../lanes/surface'
import { useCanvas } from '../../lanes/useCanvas'
import { useLaneTime } from '../../lanes/useLaneTime'
import { usePeaks } from '../../lanes/usePeaks'
import { usePlayer } from '../../player/store'

const LEFT = 46
const DRAG_PX = 4
const notes = useNotes()
const view = useView()
const player = usePlayer()
const peaks = usePeaks()
const evidence = useEvidence()
const marquee = ref<{ x: number; y: number; w: number; h: number } | null>(null)
const drag = ref<{ hit: Hit; seconds: number; semitones: number } | null>(null)
const range = computed(() => pitchRange(notes.strokes.pitch))
const recorded = computed(() => notes.take?.kind !== 'midi')
const inView = [() => view.from, () => view.to] as const

const { axis, wheel, head } = useLaneTime(LEFT)

useCanvas('ruler', [...inView, () => player.grid], (pen, width, height) => {
  pen.translate(LEFT, 0)
  drawRuler(pen, axis(width), height, player.grid, colours())
})
useCanvas('wave', [...inView, peaks, () => player.grid], (pen, width, height) => {
  const c = colours()
  const time = axis(width)
  pen.save()
  pen.beginPath()
  pen.rect(LEFT, 0, width - LEFT, height)
  pen.clip()
  pen.translate(LEFT, 0)
  drawGrid(pen, time, height, player.grid, c)
  if (peaks.value) {
    drawMiddle(pen, width, height / 2, c)
    drawWave(pen, time, 6, height - 12, peaks.value, c.wave)
  }
  pen.restore()
  pen.font = SMALL_FIGURES
  pen.fillStyle = c.text
  pen.fillText(`${notes.take?.name ?? ''}${recorded.value ? '' : ': notes, no recording'}`, 8, 14)
})
useCanvas(
  'stave',
  [
    ...inView,
    () => notes.strokes,
    () => notes.otherStrokes,
    () => notes.line,
    () => notes.selection,
    () => player.grid,
    () => player.loop,
    () => evidence.spectrum,
    () => evidence.loaded,
    () => evidence.findings,
    drag,
    range,
  ],
  (pen, width, height) => {
    const c = colours()
    const time = axis(width)
    const pitch = new PitchAxis(range.value[0], range.value[1], height)
    if (evidence.drums) drawDrumLines(pen, width, pitch, evidence.findings?.keys ?? {}, c)
    else drawStaveLines(pen, width, pitch, LEFT, c)
    pen.beginPath()
    pen.rect(LEFT, 0, width - LEFT, height)
    pen.clip()
    pen.translate(LEFT, 0)
    drawGrid(pen, time, height, player.grid, c)
    if (player.loop) {
      pen.fillStyle = c.sunk
      pen.globalAlpha = 0.6
      const [from, to] = player.loop
      pen.fillRect(time.x(from), 0, time.x(to) - time.x(from), height)
      pen.globalAlpha = 1
    }
    evidence.spectrum?.draw(pen, time, pitch, c.measured)
    if (evidence.findings)
      drawTogether(pen, time, pitch, evidence.findings.strokes, notes.part?.octave ?? 0, c)
    if (notes.line) drawMeasured(pen, time, pitch, notes.line, notes.part?.octave ?? 0, c)
    if (notes.otherStrokes) {
      const style = { ink: c.plum, selected: c.plum, soft: c.plum }
      drawStrokes(pen, time, pitch, notes.otherStrokes, new Set(), style, Math.min(5, pitch.semitone / 3))
    }
    drawStrokes(pen, time, pitch, notes.strokes, notes.selection, {
      ink: c.ink,
      selected: c.madder,
      soft: c.soft,
    })
    drawGhost(pen, time, pitch)
  },
)

/** Where the dragged notes would land. */
function drawGhost(pen: CanvasRenderingContext2D, time: TimeAxis, pitch: PitchAxis) {
  const d = drag.value
  if (!d || (!d.seconds && !d.semitones)) return
  const s = notes.strokes
  pen.strokeStyle = colours().madder
  pen.lineWidth = 1.5
  for (const i of notes.selectedIndices) {
    const from = s.onset[i] + (d.hit.part === 'end' ? 0 : d.seconds)
    const to = s.offset[i] + (d.hit.part === 'start' ? 0 : d.seconds)
    const y = pitch.y(s.pitch[i] + d.semitones)
    pen.beginPath()
    pen.moveTo(time.x(from), y - 8)
    pen.lineTo(time.x(from), y + 8)
    pen.moveTo(time.x(from), y)
    pen.lineTo(time.x(to), y)
    pen.stroke()
  }
}

function axes(event: { clientX: number; clientY: number }, element: HTMLElement) {
  const bounds = element.getBoundingClientRect()
  return {
    x: event.clientX - bounds.left - LEFT,
    y: event.clientY - bounds.top,
    time: axis(bounds.width),
    pitch: new PitchAxis(range.value[0], range.value[1], bounds.height),
  }
}

let start = { x: 0, y: 0 }
function staveDown(event: PointerEvent) {
  if (event.button !== 0) return
  const element = event.currentTarget as HTMLElement
  element.setPointerCapture(event.pointerId)
  const { x, y, time, pitch } = axes(event, element)
  start = { x, y }
  const hit = hitStroke(notes.strokes, time, pitch, x, y)
  if (!hit) {
    marquee.value = { x, y, w: 0, h: 0 }
    if (!event.shiftKey) notes.select([])
    player.seek(time.time(x))
    return
  }
  const id = notes.strokes.id[hit.index]
  if (event.shiftKey) notes.select([id], true)
  else if (!notes.selection.has(id)) notes.select([id])
  player.position = notes.strokes.onset[hit.index]
  drag.value = { hit, seconds: 0, semitones: 0 }
  void player.audition(hit.index, 'both')
}
function staveMove(event: PointerEvent) {
  const element = event.currentTarget as HTMLElement
  const { x, y, time, pitch } = axes(event, element)
  view.pointerTime = time.time(x)
  view.pointerPitch = pitch.pitch(y)
  if (drag.value && notes.partId) {
    const far = Math.abs(x - start.x) > DRAG_PX || Math.abs(y - start.y) > DRAG_PX
    const seconds = far ? (x - start.x) * time.perPixel : 0
    const semitones = drag.value.hit.part === 'body' ? Math.round((start.y - y) / pitch.semitone) : 0
    // A vertical drag moves pitch alone, so that timing is not moved by accident.
    const upright = Math.abs(y - start.y) > Math.abs(x - start.x)
    drag.value = { ...drag.value, seconds: semitones !== 0 && upright ? 0 : seconds, semitones }
  } else if (marquee.value) {
    marquee.value = {
      x: Math.min(x, start.x),
      y: Math.min(y, start.y),
      w: Math.abs(x - start.x),
      h: Math.abs(y - start.y),
    }
  } else {
    const hit = hitStroke(notes.strokes, time, pitch, x, y)
    element.style.cursor = hit ? (hit.part === 'body' ? 'pointer' : 'ew-resize') : 'default'
  }
}
function staveUp(event: PointerEvent) {
  const { time, pitch } = axes(event, event.currentTarget as HTMLElement)
  const d = drag.value
  const m = marquee.value
  drag.value = null
  marquee.value = null
  if (d && (d.seconds || d.semitones)) {
    if (d.hit.part === 'end') void notes.edit('ends', { end_by_s: d.seconds })
    else if (d.hit.part === 'start') void notes.edit('ends', { start_by_s: d.seconds })
    else void notes.edit('move', { by_s: d.seconds, semitones: d.semitones })
  } else if (m && (m.w > DRAG_PX || m.h > DRAG_PX)) {
    const s = notes.strokes
    const [from, to] = [time.time(m.x), time.time(m.x + m.w)]
    const [low, high] = [pitch.pitch(m.y + m.h) - 0.5, pitch.pitch(m.y) + 0.5]
    const inside = s.id.filter(
      (_, i) =>
        s.kind[i] !== LEFT_OUT &&
        s.offset[i] >= from &&
        s.onset[i] <= to &&
        s.pitch[i] >= low &&
        s.pitch[i] <= high,
    )
    notes.select(inside, event.shiftKey)
  }
}
function addHere(event: MouseEvent) {
  const { x, y, time, pitch } = axes(event, event.currentTarget as HTMLElement)
  if (!notes.partId || hitStroke(notes.strokes, time, pitch, x, y)) return
  const onset = Math.max(0, time.time(x))
  const octave = notes.part?.octave ?? 0
  const values = {
    onset_s: onset,
    offset_s: onset + 0.4,
    pitch: Math.round(pitch.pitch(y)) - 12 * octave,
    velocity: 90,
  }
  void notes.edit('add', values, [])
}

let scrubbing = false
function overTime(event: PointerEvent) {
  const { x, time } = axes(event, event.currentTarget as HTMLElement)
  view.pointerTime = time.time(x)
  view.pointerPitch = null
  if (scrubbing) {
    player.position = Math.max(0, view.pointerTime)
    void player.scrub(view.pointerTime)
  }
}
function rulerDown(event: PointerEvent) {
  const element = event.currentTarget as HTMLElement
  element.setPointerCapture(event.pointerId)
  const { x, time } = axes(event, element)
  player.seek(time.time(x))
  scrubbing = !player.playing
}
function leave() {
  view.pointerTime = view.pointerPitch = null
}
</script>

<template>
  <div class="lanes" @wheel="wheel" @pointerleave="leave">
    <canvas
      ref="ruler"
      class="ruler"
      aria-label="Ruler: bars and beats above, seconds below"
      @pointerdown="rulerDown"
      @pointermove="overTime"
      @pointerup="scrubbing = false"
    />
    <canvas
      ref="wave"
      class="wave"
      :class="{ unrecorded: !recorded }"
      :aria-label="recorded ? 'Recording' : 'No recording'"
      @pointermove="overTime"
      @pointerdown="rulerDown"
      @pointerup="scrubbing = false"
    />
    <div class="stave-box">
      <canvas
        ref="stave"
        class="stave"
        role="img"
        :aria-label="`Notes on the stave: ${notes.counted}. The same as a table: Shift T.`"
        @pointerdown="staveDown"
        @pointermove="staveMove"
        @pointerup="staveUp"
        @dblclick="addHere"
      />
      <div
        v-if="marquee && marquee.w + marquee.h > DRAG_PX"
        class="marquee"
        :style="{
          left: `${marquee.x + LEFT}px`,
          top: `${marquee.y}px`,
          width: `${marquee.w}px`,
          height: `${marquee.h}px`,
        }"
      />
    </div>
    <div class="head" :style="head" />
  </div>
</template>

<style scoped>
.wave {
  height: 22%;
  max-height: 170px;
  min-height: 70px;
  flex: none;
  border-bottom: 1px solid var(--rule);
}
.wave.unrecorded {
  height: 22px;
  min-height: 0;
}
.stave-box {
  position: relative;
  flex: 1;
  min-height: 0;
}
.stave {
  position: absolute;
  inset: 0;
  height: 100%;
}
.marquee {
  position: absolute;
  border: 1px dashed var(--madder);
  pointer-events: none;
}
</style>
