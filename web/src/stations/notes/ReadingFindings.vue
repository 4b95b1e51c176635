<script setup lang="ts">
/** What the reading says of the whole take, and the other readings of it. */
import { computed } from 'vue'
import type { Schemas } from '../../folio/client'
import { useFolio } from '../../folio/folio'
import { useNotes } from '../../folio/notes'
import ActButton from '../../ui/ActButton.vue'
import { plural, signed } from '../../ui/format'
import { CHARACTERS, LIMITS_OF, SETTINGS_FOR } from '../../ui/kinds'
import { readWith } from '../../ui/readWith'

const notes = useNotes()
const folio = useFolio()
const said = computed(() => notes.reading?.summary)
const others = computed(() => notes.readingsOfTake.filter((r) => r.id !== notes.readingId))
const kind = computed(() => (said.value ? CHARACTERS[said.value.character] : ''))
const onlyThere = computed(() => notes.differences.filter((d) => d.first < 0 || d.what === 'another pitch'))
const mixed = computed(() => notes.take?.facts.seems?.name === 'mix')
const asked = (r: Schemas['Reading']) => readWith(r.settings, (id) => folio.state?.parts[id]?.name)
const askedFor = computed(() => (notes.reading ? asked(notes.reading) : []))
const leftSome = computed(() => {
  const settings: Partial<Schemas['EngineSettings']> = notes.reading?.settings ?? {}
  return settings.without_drums || (settings.follow ?? 'all') !== 'all'
})

async function takeOthers() {
  const found = notes.other
  if (!found) return
  const chosen = onlyThere.value.filter((d) => d.second >= 0)
  await notes.takeOver(
    chosen.map((d) => found.candidates.onset_s[d.second]),
    found.id,
  )
}
</script>

<template>
  <section v-if="said">
    <h3>Reading {{ notes.reading?.number }}</h3>
    <div class="finding">
      <span>{{ kind }}</span><span>{{ said.character_confidence.toFixed(2) }}</span>
    </div>
    <div class="finding">
      <span>tuned</span><span>{{ signed(said.tuning_cents) }} ct from A 440</span>
    </div>
    <div v-if="said.ends_judged" class="finding"><span>ends</span><span>judged: notes die away</span></div>
    <template v-if="said.octave_stop_share">
      <div class="finding">
        <span>octave stop</span><span>in {{ Math.round(100 * said.octave_stop_share) }} % of notes</span>
      </div>
      <p class="soft">
        {{
          said.voices === 'one'
            ? 'Partials an octave under the notes tell their keys: they are read an octave lower.'
            : 'Most keys sound their octave with even partials the stronger: octaves are doubted.'
        }}
      </p>
    </template>
    <template v-if="said.bare_bass">
      <div class="finding"><span>low tones</span><span>without overtones</span></div>
      <p class="soft">They were heard with some added: the recording stays as it is.</p>
    </template>
    <div v-if="said.pedal?.length" class="finding">
      <span>pedal</span><span>down {{ plural(said.pedal.length, 'time') }}</span>
    </div>
    <p v-if="mixed" class="soft">{{ LIMITS_OF.mix }}{{ leftSome ? '' : ` ${SETTINGS_FOR.mix}` }}</p>
    <div class="finding">
      <span>read as</span><span>{{ said.voices }} {{ said.voices === 'one' ? 'voice' : 'voices' }}</span>
    </div>
    <p v-if="askedFor.length" class="soft" data-test="asked-for">{{ askedFor.join(', ') }}</p>
    <div class="finding">
      <span>engine</span><span>{{ said.engine }}</span>
    </div>
    <div class="row">
      <ActButton v-if="!notes.partId" action="accept" main />
      <ActButton action="read" label="Read again" small />
    </div>
    <template v-if="others.length">
      <h3>Other readings</h3>
      <div v-for="r in others" :key="r.id" class="row">
        <button type="button" class="act small" @click="notes.showReading(r.id)">
          Reading {{ r.number }}
        </button>
        <button
          type="button"
          class="act small"
          :aria-pressed="notes.other?.id === r.id"
          @click="notes.compareWith(notes.other?.id === r.id ? '' : r.id)"
        >
          Lay over
        </button>
        <span v-if="asked(r).length" class="soft">{{ asked(r).join(', ') }}</span>
      </div>
      <template v-if="notes.other">
        <p class="soft">
          The other reading is drawn in plum, a little lower.
          {{ plural(notes.differences.length, 'difference') }}.
        </p>
        <div class="row">
          <ActButton action="next-difference" small />
          <button v-if="notes.partId && onlyThere.length" type="button" class="act small" @click="takeOthers">
            Take its {{ plural(onlyThere.length, 'note') }}
          </button>
        </div>
      </template>
    </template>
  </section>
</template>

<style scoped>
.row {
  margin: 6px 0;
  gap: 6px;
}
</style>
