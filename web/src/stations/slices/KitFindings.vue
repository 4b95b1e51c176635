<script setup lang="ts">
/** The kit as a whole: keys, null test, tails; parts and files made of it. */
import { computed } from 'vue'
import { useRouter } from 'vue-router'
import type { Schemas } from '../../folio/client'
import { useFolio } from '../../folio/folio'
import { useKits } from '../../folio/kits'
import { useNotes } from '../../folio/notes'
import { useNotices } from '../../folio/notices'
import ActButton from '../../ui/ActButton.vue'
import ChannelSelect from '../../ui/ChannelSelect.vue'
import { openDialog } from '../../ui/dialogs'
import NoteMap from './NoteMap.vue'
import { decibels, pitchName, plural } from '../../ui/format'

type Kit = Schemas['KitChange']
const kits = useKits()
const notes = useNotes()
const folio = useFolio()
const notices = useNotices()
const router = useRouter()
const kit = computed(() => kits.kit?.kit)
const behind = computed(() => kits.made?.drums.filter((part) => part.behind) ?? [])
const onKeys = computed(() => kits.playable.filter((s) => s.key !== null).length)
const value = (event: Event) => (event.target as HTMLSelectElement).value
const nulled = computed(() => {
  const found = kits.nulled
  if (!found) return 'being played…'
  return found.exact ? 'exact' : `${decibels(found.residual_db)}, ${found.breaking.length} differ`
})
async function remove() {
  const name = kit.value?.name
  const silent = await kits.remove()
  if (!silent) return
  const unheard = silent.map((part) => `“${part}”`).join(', ')
  const stay = 'Undo brings it back, with what was done to it. Parts made of it stay.'
  notices.tell(`The kit “${name}” is removed.`, stay + (unheard ? ` Silent without it: ${unheard}.` : ''))
}
async function toPart(what: 'pattern' | 'drums') {
  const part = await kits.makePart(what)
  if (!part) return
  await notes.showPart(part)
  void router.push({ name: 'notes' })
}
</script>

<template>
  <template v-if="kit">
    <h3>The kit</h3>
    <div class="finding">
      <span>null against the loop</span><span class="null" data-test="null">{{ nulled }}</span>
    </div>
    <label class="finding">
      <span>keys</span>
      <select
        class="field"
        :value="kit.layout"
        @change="kits.change({ layout: value($event) as Kit['layout'] })"
      >
        <option value="rising">rising from {{ pitchName(kit.root) }}</option>
        <option value="drums">on the drum notes</option>
      </select>
    </label>
    <label v-if="kit.layout === 'rising'" class="finding">
      <span>root</span>
      <input
        class="field"
        type="number"
        min="0"
        max="120"
        :value="kit.root"
        aria-label="Root key of the kit"
        @change="kits.change({ root: Number(value($event)) })"
      />
    </label>
    <template v-if="kits.kit?.keyless">
      <div class="finding">
        <span>beyond the keys</span><span data-test="keyless">{{ plural(kits.kit.keyless, 'slice') }}</span>
      </div>
      <p class="soft">
        They are in no instrument and not in the pattern. Raise the threshold, or lower the root.
      </p>
    </template>
    <div v-if="kits.kit?.loop_key != null" class="finding">
      <span>whole loop</span><span>{{ pitchName(kits.kit.loop_key) }}</span>
    </div>
    <p v-for="part in kits.made?.played" :key="part.part" class="soft" data-test="played">
      “{{ part.name }}” plays {{ part.slices }} of {{ plural(onKeys, 'slice')
      }}<span v-if="part.silent" class="silent"
        >; {{ plural(part.silent, 'note plays', 'notes play') }} nothing, no slice is on the key</span
      >.
    </p>
    <p v-for="part in behind" :key="part.part" class="soft" data-test="behind">
      “{{ part.name }}” was made of other drums: {{ plural(part.behind, 'note differs', 'notes differ') }}.
      <button type="button" class="act small" @click="kits.bringInStep(part.part)">Bring in step</button>
    </p>
    <label class="finding">
      <span>tails at another tempo</span>
      <select
        class="field"
        :value="kit.tails"
        @change="kits.change({ tails: value($event) as Kit['tails'] })"
      >
        <option value="cut">cut</option>
        <option value="ring">left to ring</option>
        <option value="fade">faded</option>
        <option value="stretch">stretched</option>
      </select>
    </label>
    <label class="finding">
      <span>a hat ends a hat</span>
      <input
        type="checkbox"
        :checked="kit.choke_hats"
        @change="kits.change({ choke_hats: ($event.target as HTMLInputElement).checked })"
      />
    </label>
    <NoteMap />
    <div class="row">
      <button type="button" class="act small" data-test="to-pattern" @click="toPart('pattern')">
        Pattern as a part
      </button>
      <button type="button" class="act small" data-test="to-drums" @click="toPart('drums')">
        Drums as a part
      </button>
      <button type="button" class="act small main" data-test="kit-files" @click="openDialog = 'kit'">
        Hand the kit on
      </button>
    </div>
    <template v-if="kits.kit?.heard_by">
      <div class="finding">
        <span>heard by</span><span>{{ kits.kit.heard_by.engine }}</span>
      </div>
      <label v-if="(notes.take?.facts.channels ?? 1) > 1" class="finding">
        <span>in</span>
        <ChannelSelect
          :model-value="kits.kit.heard_by.channels"
          :disabled="!!kits.reading"
          aria-label="Channels in which the hits are heard"
          @update:model-value="kits.cut($event)"
        />
      </label>
    </template>
    <div v-if="kits.reading" class="row">
      <progress :value="kits.reading.progress" max="1" />
      <button type="button" class="act small" @click="folio.stopJob(kits.reading.id)">Stop this</button>
    </div>
    <div v-else class="row">
      <ActButton v-if="kits.kit?.heard_by" action="cut-again" small />
      <button type="button" class="act small" data-test="remove-kit" @click="remove">Remove the kit</button>
    </div>
  </template>
</template>

<style scoped>
.null {
  font-weight: 600;
  color: var(--ink);
}
.silent {
  color: var(--madder);
}
.field {
  max-width: 176px;
}
</style>
