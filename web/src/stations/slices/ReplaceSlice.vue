<script setup lang="ts">
/** Another kit's slice in the place of the selected one. */
import { computed, ref } from 'vue'
import { client, told } from '../../folio/client'
import { useFolio } from '../../folio/folio'
import { useKits, type SliceBody } from '../../folio/kits'

const folio = useFolio()
const kits = useKits()
const takes = computed(() => folio.state?.takes ?? {})
const others = computed(() =>
  Object.entries(folio.state?.kits ?? {}).filter(([id, kit]) => id !== kits.id && kit.take in takes.value),
)
const lent = computed(() => kits.focus?.settings.take ?? '')
const from = ref('')
const offered = ref<SliceBody[]>([])

async function offer() {
  offered.value = []
  if (!from.value) return
  const params = { path: { folio_id: folio.id, kit_id: from.value } }
  const found = await told(client.GET('/api/folios/{folio_id}/kits/{kit_id}', { params }))
  offered.value = (found.slices as unknown as SliceBody[]).filter((s) => s.id !== 'lead')
}
async function take(event: Event) {
  const slice = (event.target as HTMLSelectElement).value
  if (slice) await kits.edit('replace', { kit: from.value, slice })
}
</script>

<template>
  <div v-if="lent" class="finding">
    <span>{{ lent in takes ? `plays “${takes[lent].name}”` : 'its other take is removed' }}</span>
    <button type="button" class="act small" @click="kits.edit('replace', {})">Its own again</button>
  </div>
  <div v-else-if="others.length" class="finding">
    <span>replace by</span>
    <span>
      <select v-model="from" class="field" aria-label="Kit to take a slice of" @change="offer">
        <option value="">…</option>
        <option v-for="[id, kit] in others" :key="id" :value="id">{{ kit.name }}</option>
      </select>
      <select v-if="offered.length" class="field" aria-label="Slice to take" @change="take">
        <option value="">slice…</option>
        <option v-for="(piece, i) in offered" :key="piece.id" :value="piece.id">
          {{ i + 1 }} {{ piece.strikes.map((s) => s.drum).join(' + ') }}
        </option>
      </select>
    </span>
  </div>
</template>

<style scoped>
.field {
  max-width: 130px;
}
</style>
