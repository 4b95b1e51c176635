<script setup lang="ts">
/** The way from a take of drums to its hits and slices. */
import { useRouter } from 'vue-router'
import { useFolio } from '../../folio/folio'
import { useKits } from '../../folio/kits'
import { useNotes } from '../../folio/notes'

defineProps<{ main?: boolean }>()
const folio = useFolio()
const kits = useKits()
const notes = useNotes()
const router = useRouter()

function go() {
  notes.chosen = true
  if (!kits.id) void kits.cut()
  void router.push({ name: 'slices' })
}
</script>

<template>
  <button type="button" class="act" :class="{ main }" :disabled="folio.running.length > 0" @click="go">
    {{ kits.id ? 'To its slices' : 'Hear its hits, in slices' }}
  </button>
</template>
