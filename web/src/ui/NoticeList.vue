<script setup lang="ts">
import { useNotices } from '../folio/notices'

const notices = useNotices()
</script>

<template>
  <div class="notices" aria-live="polite">
    <div v-for="notice in notices.list" :key="notice.id" class="notice" :class="notice.kind" role="status">
      <p>
        <strong>{{ notice.title }}</strong> {{ notice.detail }}
      </p>
      <button type="button" class="act small" @click="notices.dismiss(notice.id)">Close</button>
    </div>
  </div>
</template>

<style scoped>
/* Over the lanes, where no button lies under them. */
.notices {
  position: fixed;
  right: 298px;
  top: 142px;
  z-index: 1200;
  display: flex;
  flex-direction: column;
  gap: 6px;
  max-width: 440px;
}
/* The buttons of a dialog stand at its lower edge. */
:global(body:has(.p-dialog-mask) .notices) {
  top: 6px;
}
.notice {
  display: flex;
  gap: 12px;
  align-items: flex-start;
  padding: 8px 12px;
  background: var(--panel);
  border: 1px solid var(--rule);
  border-left: 4px solid var(--ink);
  border-radius: 3px;
}
.notice.problem {
  border-left-style: double;
  border-left-color: var(--text);
}
p {
  margin: 2px 0;
  flex: 1;
}
</style>
