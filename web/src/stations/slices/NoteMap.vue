<script setup lang="ts">
/** Which MIDI note each drum is written on: General MIDI, or a map of one's own kept under a name. */
import { computed, onMounted, ref } from 'vue'
import { client, told } from '../../folio/client'
import { useFolio } from '../../folio/folio'
import { useKits } from '../../folio/kits'
import { useNotices } from '../../folio/notices'

/** Notes of the drums that no map names, as the server writes them. */
const plain = ref<Record<string, number>>({})
const folio = useFolio()
const kits = useKits()
const notices = useNotices()
const maps = ref<Record<string, Record<string, number>>>({})
const name = ref('')
const own = computed(() => kits.kit?.kit.notes ?? {})
const params = { path: { folio_id: folio.id } }

onMounted(async () => {
  const found = await told(client.GET('/api/folios/{folio_id}/kits/note-maps', { params })).catch(
    notices.tellProblem,
  )
  maps.value = found?.maps ?? {}
  plain.value = found?.plain ?? {}
})
function set(drum: string, event: Event) {
  const value = (event.target as HTMLInputElement).value
  const notes = { ...own.value }
  if (value === '' || Number(value) === plain.value[drum]) Reflect.deleteProperty(notes, drum)
  else notes[drum] = Number(value)
  void kits.change({ notes })
}
function use(event: Event) {
  name.value = (event.target as HTMLSelectElement).value
  void kits.change({ notes: maps.value[name.value] ?? {} })
}
async function keep() {
  const body = { maps: { ...maps.value, [name.value.trim()]: own.value } }
  const kept = await told(client.PUT('/api/folios/{folio_id}/kits/note-maps', { params, body })).catch(
    notices.tellProblem,
  )
  if (kept) {
    maps.value = kept.maps
    notices.tell(`Note map “${name.value.trim()}” kept for all folios.`)
  }
}
</script>

<template>
  <details class="map">
    <summary class="soft">Notes of the drums</summary>
    <div class="row">
      <select class="field" :value="name" aria-label="Note map" @change="use">
        <option value="">General MIDI</option>
        <option v-for="(_, each) in maps" :key="each" :value="each">{{ each }}</option>
      </select>
    </div>
    <label v-for="(note, drum) in plain" :key="drum" class="finding">
      <span>{{ drum }}</span>
      <input
        class="field"
        type="number"
        min="0"
        max="127"
        :value="own[drum] ?? note"
        :aria-label="`MIDI note of ${drum}`"
        @change="set(String(drum), $event)"
      />
    </label>
    <div class="row">
      <input
        v-model="name"
        class="field"
        placeholder="name"
        maxlength="60"
        aria-label="Name of the note map"
      />
      <button type="button" class="act small" :disabled="!name.trim()" @click="keep">Keep this map</button>
    </div>
  </details>
</template>

<style scoped>
.map {
  margin-top: 8px;
}
.finding .field {
  width: 70px;
}
.row {
  margin: 5px 0;
}
.row .field {
  width: 120px;
}
</style>
