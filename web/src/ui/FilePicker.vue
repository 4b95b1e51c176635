<script setup lang="ts">
import { ref } from 'vue'
import { useFolio } from '../folio/folio'

defineProps<{ main?: boolean }>()
const folio = useFolio()
const input = ref<HTMLInputElement>()
async function chosen() {
  await folio.bringIn([...(input.value?.files ?? [])])
  if (input.value) input.value.value = ''
}
</script>

<template>
  <button type="button" class="act" :class="{ main }" @click="input?.click()">Choose files</button>
  <input
    ref="input"
    class="unseen"
    type="file"
    multiple
    tabindex="-1"
    aria-label="Files to bring in"
    data-test="files"
    @change="chosen"
  />
</template>
