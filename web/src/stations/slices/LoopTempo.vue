<script setup lang="ts">
/** Tempo, bars, meter and swing of the loop, proposed with what else they could be; typed by either end. */
import { computed } from 'vue'
import { useKits } from '../../folio/kits'
import { plural } from '../../ui/format'

const STRAIGHT = 0.51
const MEETS_S = 0.02
const kits = useKits()
const tempi = computed(() => kits.kit?.tempi ?? [])
const now = computed(() => kits.kit?.tempo)
const rival = computed(() => {
  const other = kits.kit?.kit.tempo ? 0 : 1
  return tempi.value[other] ? { ...tempi.value[other], which: other } : null
})
const bars = (count: number) => plural(Math.round(100 * count) / 100, 'bar')
const meets = computed(() => {
  const off = now.value?.end_off_s ?? 0
  if (Math.abs(off) < MEETS_S) return 'meets the bar'
  return off > 0 ? `${off.toFixed(2)} s beyond the bar` : `${(-off).toFixed(2)} s short of the bar`
})
const number = (event: Event) => Number((event.target as HTMLInputElement).value)
</script>

<template>
  <div class="loop figures" data-test="loop-tempo">
    The loop
    <template v-if="now">
      <div class="soft">
        {{ bars(now.bars) }} of {{ now.numerator }}/{{ now.denominator }} at {{ now.bpm.toFixed(1) }}
        <span v-if="kits.kit?.kit.bpm == null">sure {{ now.share.toFixed(2) }}</span
        ><span v-else>typed</span><br />
        {{ now.swing > STRAIGHT ? `swing ${Math.round(100 * now.swing)} %` : 'straight' }}, {{ meets }}
      </div>
      <button
        v-if="rival"
        type="button"
        class="act small rival"
        @click="kits.setTempo({ which: rival.which })"
      >
        or {{ rival.bpm.toFixed(1) }}, {{ bars(rival.bars) }} of {{ rival.numerator }}/{{ rival.denominator }}
      </button>
      <div class="row typed">
        <input
          class="field"
          type="number"
          min="0.25"
          step="0.25"
          :value="Math.round(1000 * now.bars) / 1000"
          aria-label="Length in bars; sets the tempo"
          @change="kits.setTempo({ bars: number($event) })"
        />
        <span class="soft">bars</span>
        <input
          class="field"
          type="number"
          min="20"
          max="400"
          step="0.01"
          :value="now.bpm.toFixed(2)"
          aria-label="Tempo; sets the bars"
          @change="kits.setTempo({ bpm: number($event) })"
        />
        <button
          type="button"
          class="act small"
          data-test="use-tempo"
          title="The folio's tempo and bar 1 become the loop's"
          @click="kits.giveTempo()"
        >
          For the folio
        </button>
      </div>
    </template>
    <div v-else class="soft">too few hits to tell a tempo</div>
  </div>
</template>

<style scoped>
.loop {
  flex: none;
  width: 332px;
}
.rival {
  margin: 3px 0;
}
.typed {
  flex-wrap: nowrap;
  align-items: center;
}
.field {
  flex: none;
  width: 80px;
  padding-inline: 6px;
  appearance: textfield;
}
</style>
