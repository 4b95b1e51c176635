<script setup lang="ts">
/** The beats as a table: the same that is drawn on the lanes. */
import { useBeats } from '../../folio/beats'
import { signed } from '../format'

const beats = useBeats()
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
      <tr
        v-for="(time, i) in beats.map.time_s"
        :key="i"
        :aria-selected="beats.selection.has(i)"
        @click="beats.select([i])"
      >
        <td class="figures">{{ beats.map.bar[i] }}</td>
        <td class="figures">{{ beats.map.beat[i] }}</td>
        <td class="figures">{{ time.toFixed(4) }}</td>
        <td class="figures">
          {{ beats.map.drift_ms[i] === null ? '' : `${signed(beats.map.drift_ms[i] ?? 0, 1)} ms` }}
        </td>
        <td class="figures">{{ beats.map.felt_bpm[i]?.toFixed(2) ?? '' }}</td>
        <td class="figures">{{ beats.map.confidence[i].toFixed(2) }}</td>
        <td>{{ beats.map.pinned[i] ? 'yes' : '' }}</td>
      </tr>
    </tbody>
  </table>
</template>
