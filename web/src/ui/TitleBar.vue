<script setup lang="ts">
import { computed, nextTick, ref, useTemplateRef } from 'vue'
import { client, told } from '../folio/client'
import { useFolio } from '../folio/folio'
import ActButton from './ActButton.vue'
import ShownChoosers from './ShownChoosers.vue'

const folio = useFolio()
const editing = ref(false)
const title = ref('')
const field = useTemplateRef('field')
const saved = computed(() =>
  new Date(folio.savedAt * 1000).toLocaleTimeString([], { hour: '2-digit', minute: '2-digit' }),
)
async function begin() {
  title.value = folio.state?.settings.title ?? ''
  editing.value = true
  await nextTick()
  field.value?.select()
}
async function rename() {
  if (!editing.value) return
  editing.value = false
  if (title.value === folio.state?.settings.title) return
  await folio.change(() =>
    told(
      client.PATCH('/api/folios/{folio_id}', {
        params: { path: folio.path },
        body: { title: title.value, base_revision: folio.base },
      }),
    ),
  )
}
</script>

<template>
  <header class="bar">
    <RouterLink to="/" class="all" title="All folios">Folios</RouterLink>
    <input
      v-if="editing"
      ref="field"
      v-model="title"
      class="field title"
      aria-label="Title of the folio"
      maxlength="120"
      @keydown.enter="rename"
      @keydown.esc="editing = false"
      @blur="rename"
    />
    <h1 v-else>
      <button
        class="title"
        type="button"
        :title="`${folio.state?.settings.title}: rename the folio`"
        @click="begin"
      >
        {{ folio.state?.settings.title }}
      </button>
    </h1>
    <span class="soft where"><ShownChoosers /></span>
    <span class="push" />
    <ActButton action="undo" :title="folio.state?.undo ? `Undo: ${folio.state.undo}` : ''" />
    <ActButton action="redo" :title="folio.state?.redo ? `Redo: ${folio.state.redo}` : ''" />
    <ActButton action="history" />
    <span class="soft saved" title="Every change is saved as it is made">saved {{ saved }}</span>
    <ActButton action="hand-on" main />
  </header>
</template>

<style scoped>
.bar {
  height: 44px;
  flex: none;
  display: flex;
  align-items: center;
  gap: 10px;
  padding: 0 16px;
  border-bottom: 1px solid var(--hairline);
}
.title {
  font: 600 19px var(--title-face);
  border: 0;
  background: none;
  padding: 0;
  cursor: text;
  max-width: 100%;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
input.title {
  width: 300px;
  border: 1px solid var(--rule);
  padding: 2px 6px;
}
h1 {
  min-width: 120px;
  max-width: 300px;
  overflow: hidden;
}
.where {
  display: flex;
  gap: 6px;
  min-width: 0;
  overflow: hidden;
  white-space: nowrap;
}
.all {
  color: var(--soft);
  text-decoration: none;
  border-bottom: 1px solid var(--rule);
}
.push {
  flex: 1;
}
.saved {
  white-space: nowrap;
}
</style>
