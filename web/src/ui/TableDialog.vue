<script setup lang="ts">
/** The lanes' data as a table: the same notes, reachable without seeing them. */
import { computed, ref } from 'vue'
import { useEvidence } from '../folio/evidence'
import { useNotes } from '../folio/notes'
import { LEFT_OUT } from '../folio/strokes'
import { clock, decibels } from './format'

const PAGE = 200
const notes = useNotes()
const evidence = useEvidence()
const page = ref(0)
const pages = computed(() => Math.max(1, Math.ceil(notes.strokes.onset.length / PAGE)))
const rows = computed(() => {
  const s = notes.strokes
  const count = Math.min(PAGE, s.onset.length - page.value * PAGE)
  return Array.from({ length: Math.max(0, count) }, (_, k) => k + page.value * PAGE)
})
const facts = computed(() => notes.take?.facts)
</script>

<template>
  <p v-if="facts && notes.take?.kind === 'audio'">
    Recording: {{ clock(facts.duration_s ?? 0) }}, loudest {{ decibels(facts.loudest_db ?? 0) }}, silence
    {{ (facts.silence_before_s ?? 0).toFixed(2) }} s before and
    {{ (facts.silence_after_s ?? 0).toFixed(2) }} s after.
  </p>
  <div v-if="pages > 1" class="row">
    <button type="button" class="act small" :disabled="page === 0" @click="page--">Earlier</button>
    {{ page + 1 }} of {{ pages }}
    <button type="button" class="act small" :disabled="page + 1 === pages" @click="page++">Later</button>
  </div>
  <div class="scroll">
    <table class="plain">
      <thead>
        <tr>
          <th>pitch</th>
          <th>starts</th>
          <th>ends</th>
          <th>velocity</th>
          <th>sure</th>
          <th>state</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="i in rows" :key="notes.strokes.id[i]">
          <td>
            <button
              type="button"
              class="act small"
              :aria-pressed="notes.selection.has(notes.strokes.id[i])"
              @click="notes.select([notes.strokes.id[i]])"
            >
              {{ evidence.nameOf(Math.round(notes.strokes.pitch[i])) }}
            </button>
          </td>
          <td class="figures">{{ clock(notes.strokes.onset[i]) }}</td>
          <td class="figures">{{ clock(notes.strokes.offset[i]) }}</td>
          <td class="figures">{{ notes.strokes.velocity[i] }}</td>
          <td class="figures">{{ notes.strokes.confidence[i].toFixed(2) }}</td>
          <td>{{ notes.strokes.kind[i] === LEFT_OUT ? 'left out' : 'counts' }}</td>
        </tr>
      </tbody>
    </table>
  </div>
  <p v-if="!rows.length" class="soft">There are no notes yet.</p>
</template>

<style scoped>
.scroll {
  max-height: 56vh;
  overflow: auto;
}
</style>
