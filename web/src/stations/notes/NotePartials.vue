<script setup lang="ts">
/** Partials of the selected note: solid where they are its own, broken where another note explains them. */
import { computed } from 'vue'
import { useEvidence } from '../../folio/evidence'
import { useNotes } from '../../folio/notes'
import { colours, SMALL_FIGURES } from '../../lanes/surface'
import { useCanvas } from '../../lanes/useCanvas'
import { pitchName } from '../../ui/format'

const RANGE_DB = 60
const evidence = useEvidence()
const notes = useNotes()
const own = computed(() => evidence.partials.filter((p) => p.explained_by === null).length)
const others = computed(() => [...new Set(evidence.partials.flatMap((p) => p.explained_by ?? []))])
const told = computed(() => {
  if (!others.value.length) return 'No other note explains any of them.'
  const names = others.value.map((pitch) => pitchName(pitch, evidence.names)).join(', ')
  return own.value
    ? `${own.value} are its own; the broken ones ${names} could explain.`
    : `All could come from ${names}: by these alone it could be a ghost.`
})

useCanvas('partials', [() => evidence.partials], (pen, width, height) => {
  const c = colours()
  const list = evidence.partials
  const loudest = Math.max(...list.map((p) => p.level_db), notes.take?.facts.loudest_db ?? -60)
  const step = width / 10
  pen.font = SMALL_FIGURES
  pen.textAlign = 'center'
  pen.lineWidth = 3
  list.forEach((p, i) => {
    const x = (i + 0.5) * step
    const tall = Math.max(1, (1 + (p.level_db - loudest) / RANGE_DB) * (height - 18))
    pen.strokeStyle = p.explained_by === null ? c.measured : c.wave
    pen.setLineDash(p.explained_by === null ? [] : [2, 3])
    pen.beginPath()
    pen.moveTo(x, height - 14)
    pen.lineTo(x, height - 14 - tall)
    pen.stroke()
    pen.fillStyle = c.soft
    pen.fillText(String(p.number), x, height - 2)
  })
  pen.setLineDash([])
})
</script>

<template>
  <div v-show="evidence.partials.length">
    <canvas ref="partials" class="partials" role="img" :aria-label="`Partials. ${told}`" />
    <p class="soft said">{{ told }}</p>
  </div>
</template>

<style scoped>
.partials {
  width: 100%;
  height: 58px;
  background: var(--paper);
}
.said {
  margin: 2px 0 6px;
  font-size: 12px;
}
</style>
