<script setup lang="ts">
/** The slices as a table: the same that is drawn on the lanes. */
import { useKits } from '../folio/kits'
import { pitchName, signed } from './format'

const kits = useKits()
</script>

<template>
  <table class="plain">
    <thead>
      <tr>
        <th>slice</th>
        <th>begins, s</th>
        <th>ends, s</th>
        <th>drums</th>
        <th>velocity</th>
        <th>sure</th>
        <th>from the 16th</th>
        <th>key</th>
        <th>by hand</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="(piece, i) in kits.playable" :key="piece.id" @click="kits.select([piece.id])">
        <td class="figures">{{ i + 1 }}</td>
        <td class="figures">{{ piece.first_s.toFixed(4) }}</td>
        <td class="figures">{{ piece.last_s.toFixed(4) }}</td>
        <td>{{ piece.strikes.map((s) => (s.ghost ? `${s.kind}, ghost` : s.kind)).join(' + ') }}</td>
        <td class="figures">{{ piece.strikes.map((s) => s.velocity).join(' ') }}</td>
        <td class="figures">{{ piece.strikes.map((s) => s.confidence.toFixed(2)).join(' ') }}</td>
        <td class="figures">{{ signed(piece.off_grid_ms) }} ms</td>
        <td class="figures">{{ piece.key == null ? '' : pitchName(piece.key) }}</td>
        <td>{{ piece.by_hand ? 'yes' : '' }}</td>
      </tr>
    </tbody>
  </table>
</template>
