<script setup lang="ts">
/** What the map says as a whole, smoothing, and the other ways to count. */
import { computed, ref } from 'vue'
import { useBeats } from '../../folio/beats'
import { plural } from '../../ui/format'
import ActButton from '../../ui/ActButton.vue'
import ChannelSelect from '../../ui/ChannelSelect.vue'
import { useFolio } from '../../folio/folio'
import { toldOf } from '../../folio/mapPlaces'
import { useView } from '../../folio/view'
import LayScore from './LayScore.vue'

// More held beats than these are shown when asked for: a long take holds dozens.
const FEW_HELD = 4

const beats = useBeats()
const folio = useFolio()
const view = useView()
const map = computed(() => beats.map)
const pins = computed(() => map.value?.pinned.filter(Boolean).length ?? 0)
const pinsBetween = computed(() => map.value?.between.pinned.filter(Boolean).length ?? 0)
/** What holds each beat where it is. */
const standing = computed(() => {
  const { heard_s = [], pinned = [], steady = [] } = map.value ?? {}
  const evened = steady.filter((is, i) => is && !pinned[i]).length
  const heard = heard_s.filter((moment, i) => moment !== null && !pinned[i] && !steady[i]).length
  const laid = heard_s.length - heard - evened - pins.value
  return [
    plural(pins.value + pinsBetween.value, 'pin is law', 'pins are law'),
    heard || !laid ? `${plural(heard, 'beat follows', 'beats follow')} the recording` : '',
    evened ? `${plural(evened, 'beat was', 'beats were')} made steady` : '',
    laid ? `${plural(laid, 'beat was', 'beats were')} laid, not heard` : '',
    weak.value,
  ]
    .filter(Boolean)
    .join('; ')
})
const bars = computed(() => map.value?.beat.filter((b) => b === 1).length ?? 0)
const pickup = computed(() => map.value?.meters[0]?.beat ?? 0)
const meters = computed(() => {
  const list = map.value?.meters ?? []
  if (list.length === 1) return `${list[0].numerator}/${list[0].denominator}`
  return list.map((m) => `${m.numerator}/${m.denominator} from ${m.bar}`).join(', ')
})
const weak = computed(() => {
  const list = map.value?.walk ?? []
  if (!map.value || !list.length) return 'no beat is in doubt'
  const told = list.slice(0, 3).map((place) => map.value && toldOf(map.value, place))
  const worst = told.map((each) => `${each?.bar}.${each?.beat}`)
  const between = list.filter((place) => place.beat === null).length
  const also = between ? ` and ${plural(between, 'onset')} between beats` : ''
  return `${plural(list.length - between, 'weak beat')}${also}, weakest: ${worst.join(', ')}`
})
const everyHeld = ref(false)
const shownHeld = computed(() => {
  const held = map.value?.held ?? []
  return everyHeld.value ? held : held.slice(0, FEW_HELD)
})
function lookAt(first: number, last: number) {
  beats.select(Array.from({ length: last - first + 1 }, (_, k) => first + k))
  const times = map.value?.time_s ?? []
  view.reveal(times[first], times[last])
}
function holdThem() {
  const held = (map.value?.held ?? []).flatMap(([first, count]) =>
    Array.from({ length: count }, (_, k) => first + k),
  )
  void beats.edit('hold', { written_beats: 1 }, held)
}
function smooth(event: Event) {
  void beats.edit('smooth', { amount: Number((event.target as HTMLInputElement).value) / 100 }, [])
}
</script>

<template>
  <section v-if="map" class="summary" aria-label="The map as a whole">
    <div class="said figures">
      <span data-test="beats-found"
        >{{ plural(map.time_s.length, 'beat') }}, {{ plural(bars, 'bar') }} of {{ meters
        }}{{ pickup ? `, pickup of ${pickup}` : '' }}</span
      >
      <span class="soft" data-test="standing">{{ standing }}</span>
      <span v-if="beats.taps.length" class="soft"
        >{{ plural(beats.taps.length, 'tap') }}, stop to keep them</span
      >
    </div>
    <div class="row">
      <label class="smooth soft"
        >smoothed
        <input
          type="range"
          min="0"
          max="100"
          step="5"
          :value="Math.round(100 * map.smoothing)"
          aria-label="How much the beats between pins are smoothed, in percent"
          data-test="smooth"
          @change="smooth"
        />
        <span class="figures">{{ Math.round(100 * map.smoothing) }} %</span></label
      >
      <ActButton action="beat-weak" small />
      <ActButton action="beat-tap" small />
      <ActButton action="beat-table" small />
      <label v-if="beats.mapsOfTake.length > 1" class="soft"
        >reading
        <select v-model="beats.chosenMap" class="field">
          <option v-for="[id, m] in beats.mapsOfTake" :key="id" :value="id">{{ m.name }}</option>
        </select></label
      >
      <template v-if="beats.reading">
        <progress :value="beats.reading.progress" max="1" />
        <button type="button" class="act small" @click="folio.stopJob(beats.reading.id)">Stop this</button>
      </template>
      <span v-else class="again">
        <button type="button" class="act small" @click="beats.find()">Find them again</button>
        <label v-if="beats.isStereo" class="soft">
          in <ChannelSelect v-model="beats.channels" aria-label="Channels in which beats are heard" />
        </label>
      </span>
      <LayScore small />
    </div>
    <p v-for="line in map.said" :key="line" class="row soft">{{ line }}</p>
    <div v-for="[beat, extra] in map.written_out" :key="beat" class="row">
      <span class="soft"
        >The score writes {{ plural(extra, 'extra beat') }} after bar {{ map.bar[beat] }}, beat
        {{ map.beat[beat] }}: a hold?</span
      >
      <button type="button" class="act small" @click="beats.edit('as hold', { beats: extra }, [beat])">
        Make it a hold
      </button>
    </div>
    <div v-for="[beat, extra] in map.silences" :key="`silent ${beat}`" class="row">
      <span class="soft"
        >Nothing sounds after bar {{ map.bar[beat] }}, beat {{ map.beat[beat] }}, and
        {{ plural(extra, 'beat') }} {{ extra === 1 ? 'is' : 'are' }} counted through it.</span
      >
      <button type="button" class="act small" @click="beats.edit('as rest', { beats: extra }, [beat])">
        Make it a rest
      </button>
    </div>
    <div v-if="map.held.length" class="row" data-test="held">
      <span class="soft">Far longer than the beats around, as if held:</span>
      <button
        v-for="[first, count, times] in shownHeld"
        :key="first"
        type="button"
        class="act small figures"
        @click="lookAt(first, first + count - 1)"
      >
        bar {{ map.bar[first] }}.{{ map.beat[first] }}{{ count > 1 ? `, ${plural(count, 'beat')}` : '' }},
        {{ times.toFixed(1) }} times
      </button>
      <button
        v-if="map.held.length > FEW_HELD"
        type="button"
        class="act small"
        :aria-expanded="everyHeld"
        data-test="every-held"
        @click="everyHeld = !everyHeld"
      >
        {{ everyHeld ? 'Fewer' : `${map.held.length - FEW_HELD} more` }}
      </button>
      <button type="button" class="act small" @click="holdThem">
        {{ map.held.length > 1 ? `Make all ${map.held.length} holds` : 'Make it a hold' }}
      </button>
    </div>
    <div v-if="map.implausible.length" class="row">
      <span class="soft"
        >{{ plural(map.implausible.length, 'stretch has', 'stretches have') }} an implausible tempo: is each
        pin on the beat it says?</span
      >
      <button
        v-for="[first, last] in map.implausible.slice(0, 4)"
        :key="first"
        type="button"
        class="act small figures"
        @click="lookAt(first, last)"
      >
        bar {{ map.bar[first] }}.{{ map.beat[first] }}
      </button>
    </div>
    <div v-if="map.runners_up.length" class="row others">
      <span class="soft figures">also possible</span>
      <template v-for="(other, place) in map.runners_up" :key="other.name">
        <button
          type="button"
          class="act small other"
          :aria-pressed="beats.trying === other.name"
          :title="`Hear it: ${place + 4}`"
          @click="beats.tryCount(beats.trying === other.name ? '' : other.name)"
        >
          {{ other.name }} <span class="soft figures">{{ other.share.toFixed(2) }}</span><kbd
            v-if="place < 5"
            aria-hidden="true"
            >{{ place + 4 }}</kbd
          >
        </button>
      </template>
      <button
        v-if="beats.trying"
        type="button"
        class="act small main"
        data-test="count-so"
        @click="beats.countSo(beats.trying)"
      >
        Count it so
      </button>
    </div>
  </section>
</template>

<style scoped>
.again {
  white-space: nowrap;
}
.again label {
  margin-left: 8px;
}
.summary {
  flex: none;
  max-height: 45%;
  padding: 9px 14px 11px;
  overflow-y: auto;
  background: var(--panel);
}
.said {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 18px;
  font-size: 12px;
}
.row {
  margin-top: 7px;
  flex-wrap: wrap;
  gap: 6px;
  align-items: center;
}
.smooth {
  display: flex;
  align-items: center;
  gap: 7px;
}
.smooth input {
  width: 130px;
}
.others .soft:first-child {
  font-size: 12px;
}
.other[aria-pressed='true'] .soft {
  color: inherit;
}
</style>
