<script setup lang="ts">
/** The open dialog; each is loaded when it is first asked for. */
import Dialog from 'primevue/dialog'
import { computed, defineAsyncComponent, nextTick, type Component } from 'vue'
import { openDialog, type DialogName } from './dialogs'

const later = (title: string, load: () => Promise<Component>) => ({
  title,
  load,
  body: defineAsyncComponent(load),
})
const known: Record<Exclude<DialogName, ''>, ReturnType<typeof later>> = {
  'hand-on': later('Hand on', () => import('./HandOnDialog.vue')),
  time: later('Time', () => import('./TimeDialog.vue')),
  help: later('Keys', () => import('./KeysDialog.vue')),
  history: later('History', () => import('./HistoryDialog.vue')),
  read: later('Read this take', () => import('./ReadDialog.vue')),
  table: later('Notes as a table', () => import('./TableDialog.vue')),
  velocity: later('Velocity', () => import('./VelocityDialog.vue')),
  kit: later('Hand the kit on', () => import('./KitDialog.vue')),
  'slice-table': later('Slices as a table', () => import('./SliceTable.vue')),
  'beat-is': later('It is beat …', () => import('./beat/BeatIs.vue')),
  'beat-meter': later('Meters', () => import('./beat/BeatMeters.vue')),
  'beat-hold': later('Hold this beat', () => import('./beat/BeatHold.vue')),
  'beat-marker': later('Marker', () => import('./beat/BeatMarker.vue')),
  'beat-click': later('Click from here', () => import('./beat/BeatClick.vue')),
  'beat-files': later('Hand the time on', () => import('./beat/BeatFiles.vue')),
  'beat-table': later('Beats as a table', () => import('./beat/BeatTable.vue')),
  pick: later('Select by a rule', () => import('./PickDialog.vue')),
}
const shown = computed(() => (openDialog.value ? known[openDialog.value] : null))
const visible = computed({
  get: () => shown.value !== null,
  set: (open) => {
    if (!open) openDialog.value = ''
  },
})
/** A dialog that has come is drawn within so many frames, or has nothing to type in. */
const FRAMES = 60
const FIELDS = ':is(input:not([type=checkbox], [type=radio]), select, textarea):enabled'

/** Whoever opens a dialog by its key goes on typing in it. */
async function focusFirst() {
  const asked = openDialog.value
  await shown.value?.load()
  await nextTick()
  for (let frame = 0; frame < FRAMES && openDialog.value === asked; frame++) {
    const first = document.querySelector<HTMLElement>(`.paper-dialog .p-dialog-content ${FIELDS}`)
    // The dialog gives the focus away itself once it has come in.
    first?.setAttribute('autofocus', '')
    first?.focus()
    if (first) return
    await new Promise(requestAnimationFrame)
  }
}
</script>

<template>
  <Dialog
    v-model:visible="visible"
    modal
    dismissable-mask
    :header="shown?.title"
    :draggable="false"
    class="paper-dialog"
    @show="focusFirst"
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
