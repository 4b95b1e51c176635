<script setup lang="ts">
/** What the notes say together: key, scale, chords struck together; and the lines they can be parted into. */
import { computed, ref } from 'vue'
import { useEvidence } from '../../folio/evidence'
import { useNotes } from '../../folio/notes'
import ActButton from '../../ui/ActButton.vue'
import { plural } from '../../ui/format'

const LINES = ['top', 'inner', 'bass', 'left hand', 'right hand'] as const
const notes = useNotes()
const evidence = useEvidence()
const found = computed(() => evidence.findings)
const line = ref<(typeof LINES)[number]>('top')
const chords = computed(() => found.value?.strokes.size.length ?? 0)
const largest = computed(() => Math.max(0, ...(found.value?.strokes.size ?? [])))
const chosen = computed(() => notes.selectedNotes().length)
</script>

<template>
  <section v-if="found?.key">
    <h3>Together</h3>
    <div class="finding">
      <span>key</span
      ><span
        ><b>{{ found.key.name }}</b> {{ found.key.share.toFixed(2) }}</span
      >
    </div>
    <div v-if="found.other_key" class="finding">
      <span>or</span><span>{{ found.other_key.name }} {{ found.other_key.share.toFixed(2) }}</span>
    </div>
    <div v-if="found.scale" class="finding">
      <span>scale</span><span>{{ found.scale.name }} {{ found.scale.share.toFixed(2) }}</span>
    </div>
    <div v-if="found.other_scale" class="finding">
      <span>or</span><span>{{ found.other_scale.name }} {{ found.other_scale.share.toFixed(2) }}</span>
    </div>
    <div class="finding">
      <span>pitches</span><span class="set">{{ found.pitches.join(' ') }}</span>
    </div>
    <div v-if="chords" class="finding">
      <span>struck together</span><span>{{ plural(chords, 'chord') }} of up to {{ largest }}</span>
    </div>
    <div v-for="each in found.companions" :key="each.semitones" data-test="companion">
      <div class="finding">
        <span>{{ plural(each.semitones, 'semitone') }} up</span
        ><span>{{ each.count }} of {{ each.of }} keys</span>
      </div>
      <button
        v-if="notes.partId"
        type="button"
        class="act small"
        title="What an organ’s stop or a bell sounds with every key is heard as notes of their own"
        @click="notes.pick('sounding with', each.semitones)"
      >
        Select what lies {{ each.semitones }} over another
      </button>
    </div>
    <template v-if="notes.partId && chords">
      <div class="row">
        <label class="row"
          >line
          <select v-model="line" class="field" aria-label="Line of the texture">
            <option v-for="each in LINES" :key="each">{{ each }}</option>
          </select>
        </label>
        <button type="button" class="act small" @click="notes.pick(line)">Select it</button>
        <button
          type="button"
          class="act small"
          :disabled="!chosen"
          title="What you put into a line stays there"
          @click="notes.edit('line', { line })"
        >
          Put into it
        </button>
      </div>
      <div class="row">
        <button
          type="button"
          class="act small"
          data-test="send"
          :disabled="!chosen"
          @click="evidence.send(`${notes.part?.name ?? 'Part'}, ${line}`)"
        >
          Send {{ plural(chosen, 'note') }} to a part of their own
        </button>
        <ActButton action="ghosts" small />
      </div>
    </template>
  </section>
</template>

<style scoped>
.row {
  gap: 5px;
  margin: 5px 0;
}
.finding span.set:last-child {
  white-space: normal;
}
</style>
