<script setup lang="ts">
/** The kit as sheets to strike: by mouse, computer keyboard or a MIDI keyboard. */
import { onBeforeUnmount, onMounted } from 'vue'
import { useKits, type SliceBody } from '../../folio/kits'
import { hearSlice } from '../../player/hearing'
import { listenToMidi } from '../../player/midiIn'
import { pitchName } from '../../ui/format'
import { PLAY_KEYS } from './playing'

const kits = useKits()
let deaf: () => void = () => undefined

function strike(piece: SliceBody, event?: PointerEvent) {
  kits.select([piece.id], event?.shiftKey)
  void hearSlice(piece)
}
onMounted(() => {
  deaf = listenToMidi((key) => {
    const piece = kits.playable.find((s) => s.key === key)
    if (piece) strike(piece)
  })
})
onBeforeUnmount(() => deaf())
</script>

<template>
  <div class="sheets" role="group" aria-label="Pads of the kit">
    <button
      v-for="(piece, i) in kits.playable"
      :key="piece.id"
      type="button"
      class="sheet"
      :class="{ torn: piece.by_hand, muted: piece.settings.muted }"
      :aria-pressed="kits.selection.has(piece.id)"
      @pointerdown="strike(piece, $event)"
      @keydown.enter="strike(piece)"
    >
      <span class="figures"
        >{{ i + 1 }} <kbd v-if="kits.playing">{{ PLAY_KEYS[i]?.toUpperCase() }}</kbd></span
      >
      <span>{{ piece.strikes.map((s) => s.drum).join(' + ') || 'cut' }}</span>
      <span class="soft figures"
        >{{ piece.key == null ? 'no key' : pitchName(piece.key)
        }}{{ piece.settings.reversed ? ', back' : '' }}</span
      >
    </button>
  </div>
</template>

<style scoped>
.sheets {
  flex: 1;
  min-height: 0;
  overflow-y: auto;
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(104px, 1fr));
  grid-auto-rows: 84px;
  gap: 10px;
  padding: 16px;
  background: var(--paper);
}
.sheet {
  display: flex;
  flex-direction: column;
  justify-content: space-between;
  align-items: flex-start;
  padding: 8px 10px;
  text-align: left;
  color: var(--text);
  background: var(--panel);
  border: 1px solid var(--stave);
  border-radius: 0;
  cursor: pointer;
}
.sheet:nth-child(even) {
  background: var(--sunk);
  transform: translateY(4px);
}
.sheet.torn {
  border-left-style: dashed;
}
.sheet.muted {
  color: var(--soft);
}
.sheet[aria-pressed='true'] {
  border-color: var(--madder);
  color: var(--madder);
}
</style>
