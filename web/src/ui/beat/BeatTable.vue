<script setup lang="ts">
/** The beats and what is written between them as a table: the same that is drawn on the lanes. */
import { computed } from 'vue'
import { useBeats } from '../../folio/beats'
import { isSame, placesOf, toldOf } from '../../folio/mapPlaces'
import { signed } from '../format'

const beats = useBeats()
const rows = computed(() => {
  const map = beats.map
  if (!map) return []
  return placesOf(map).map((place) => {
    const told = toldOf(map, place)
    const chosen = place.beat === null ? isSame(place, beats.place) : beats.selection.has(place.beat)
    const off_s = told.heard_s === null ? null : told.heard_s - told.time_s
    return { place, told, chosen, off_s, bpm: place.beat === null ? undefined : map.felt_bpm[place.beat] }
  })
})
</script>

<template>
  <table v-if="beats.map" class="plain">
    <thead>
      <tr>
        <th>bar</th>
        <th>beat</th>
        <th>moment, s</th>
        <th>attack from the map</th>
        <th>tempo after</th>
        <th>sure</th>
        <th>pinned</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="(row, i) in rows" :key="i" :aria-selected="row.chosen" @click="beats.selectPlace(row.place)">
        <td class="figures">{{ row.told.bar }}</td>
        <td class="figures">{{ row.told.beat }}</td>
        <td class="figures">{{ row.told.time_s.toFixed(4) }}</td>
        <td class="figures">{{ row.off_s === null ? '' : `${signed(1000 * row.off_s, 1)} ms` }}</td>
        <td class="figures">{{ row.bpm?.toFixed(2) ?? '' }}</td>
        <td class="figures">{{ row.told.confidence.toFixed(2) }}</td>
        <td>{{ row.told.pinned ? 'yes' : '' }}</td>
      </tr>
    </tbody>
  </table>
</template>
