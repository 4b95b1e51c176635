<script setup lang="ts">
/** The open dialog; each is loaded when it is first asked for. */
import Dialog from 'primevue/dialog'
import { computed, defineAsyncComponent, type Component } from 'vue'
import { openDialog, type DialogName } from './dialogs'

const known: Record<Exclude<DialogName, ''>, { title: string; body: Component }> = {
  'hand-on': { title: 'Hand on', body: defineAsyncComponent(() => import('./HandOnDialog.vue')) },
  time: { title: 'Time', body: defineAsyncComponent(() => import('./TimeDialog.vue')) },
  help: { title: 'Keys', body: defineAsyncComponent(() => import('./KeysDialog.vue')) },
  history: { title: 'History', body: defineAsyncComponent(() => import('./HistoryDialog.vue')) },
  read: { title: 'Read this take', body: defineAsyncComponent(() => import('./ReadDialog.vue')) },
  table: { title: 'Notes as a table', body: defineAsyncComponent(() => import('./TableDialog.vue')) },
  velocity: { title: 'Velocity', body: defineAsyncComponent(() => import('./VelocityDialog.vue')) },
  kit: { title: 'Hand the kit on', body: defineAsyncComponent(() => import('./KitDialog.vue')) },
  'slice-table': { title: 'Slices as a table', body: defineAsyncComponent(() => import('./SliceTable.vue')) },
  'beat-is': { title: 'It is beat …', body: defineAsyncComponent(() => import('./beat/BeatIs.vue')) },
  'beat-meter': { title: 'Meters', body: defineAsyncComponent(() => import('./beat/BeatMeters.vue')) },
  'beat-hold': { title: 'Hold this beat', body: defineAsyncComponent(() => import('./beat/BeatHold.vue')) },
  'beat-marker': { title: 'Marker', body: defineAsyncComponent(() => import('./beat/BeatMarker.vue')) },
  'beat-click': {
    title: 'Click from here',
    body: defineAsyncComponent(() => import('./beat/BeatClick.vue')),
  },
  'beat-files': {
    title: 'Hand the time on',
    body: defineAsyncComponent(() => import('./beat/BeatFiles.vue')),
  },
  'beat-table': {
    title: 'Beats as a table',
    body: defineAsyncComponent(() => import('./beat/BeatTable.vue')),
  },
  pick: { title: 'Select by a rule', body: defineAsyncComponent(() => import('./PickDialog.vue')) },
}
const shown = computed(() => (openDialog.value ? known[openDialog.value] : null))
const visible = computed({
  get: () => shown.value !== null,
  set: (open) => {
    if (!open) openDialog.value = ''
  },
})
</script>

<template>
  <Dialog
    v-model:visible="visible"
    modal
    dismissable-mask
    :header="shown?.title"
    :draggable="false"
    class="paper-dialog"
  >
    <component :is="shown.body" v-if="shown" />
  </Dialog>
</template>

<style>
.paper-dialog {
  width: min(760px, 94vw);
  border: 1px solid var(--rule);
}
.paper-dialog .p-dialog-title {
  font: 600 20px var(--title-face);
}
.paper-dialog .p-dialog-header .p-dialog-close-button.p-button {
  width: 30px;
  height: 30px;
  border: 1px solid var(--rule);
  border-radius: 3px;
}
.paper-dialog h3 {
  font: 600 13px var(--text-face);
  color: var(--soft);
  margin: 14px 0 6px;
}
.p-dialog-mask {
  background: color-mix(in srgb, var(--sunk) 72%, transparent);
}
</style>
