<script setup lang="ts">
/** Pitch of the selected note over its time, in cents. */
import { computed } from 'vue'
import { useNotes } from '../../folio/notes'
import { colours, SMALL_FIGURES } from '../../lanes/surface'
import { useCanvas } from '../../lanes/useCanvas'

const RANGE_CENTS = 75
const notes = useNotes()
const points = computed(() => {
  const i = notes.focus
  const line = notes.line
  if (i < 0 || !line) return []
  const s = notes.strokes
  const found: [number, number][] = []
  const first = Math.max(0, Math.ceil((s.onset[i] - line.starts) / line.step))
  const last = Math.min(line.pitch.length, Math.floor((s.offset[i] - line.starts) / line.step) + 1)
  const octave = notes.part?.octave ?? 0
  for (let k = first; k < last; k++) {
    const cents = 100 * (line.pitch[k] + 12 * octave - Math.round(s.pitch[i]))
    if (line.pitch[k] > 0) found.push([(k - first) / Math.max(1, last - first - 1), cents])
  }
  return found
})

useCanvas('cents', [points], (pen, width, height) => {
  const c = colours()
  const y = (cents: number) =>
    height / 2 - (Math.max(-RANGE_CENTS, Math.min(RANGE_CENTS, cents)) / RANGE_CENTS) * (height / 2)
  pen.strokeStyle = c.rule
  pen.lineWidth = 1
  pen.beginPath()
  for (const cents of [-50, 0, 50]) {
    pen.setLineDash(cents ? [3, 4] : [])
    pen.moveTo(0, Math.round(y(cents)) + 0.5)
    pen.lineTo(width, Math.round(y(cents)) + 0.5)
  }
  pen.stroke()
  pen.setLineDash([])
  pen.font = SMALL_FIGURES
  pen.fillStyle = c.soft
  pen.fillText('+50 ct', 4, y(50) - 3)
  pen.fillText('−50 ct', 4, y(-50) + 11)
  pen.strokeStyle = c.measured
  pen.lineWidth = 1.4
  pen.beginPath()
  points.value.forEach(([x, cents], i) =>
    i ? pen.lineTo(x * width, y(cents)) : pen.moveTo(x * width, y(cents)),
  )
  pen.stroke()
})
</script>

<template>
  <canvas v-show="points.length" ref="cents" class="curve" role="img" aria-label="Pitch over time in cents" />
</template>

<style scoped>
.curve {
  width: 100%;
  height: 72px;
  background: var(--paper);
  margin: 4px 0;
}
</style>
