<script setup lang="ts">
/** Long work under way, in the order in which it was asked for, and what became of it. */
import { computed } from 'vue'
import type { Job } from '../../folio/client'
import { useFolio } from '../../folio/folio'

const folio = useFolio()
const over = computed(() =>
  folio.jobs.filter((j) => !folio.running.includes(j) && (j.state !== 'done' || j.result.notice)),
)
/** What became of it, in words; of what was stopped nothing is left to say. */
const outcome = ({ state, result }: Job) =>
  state === 'stopped' ? '' : [result.title, result.detail, result.notice].filter(Boolean).join(' ')
</script>

<template>
  <section v-if="over.length || folio.running.length" class="work" aria-label="Work">
    <div class="row">
      <h2>Work</h2>
      <button v-if="folio.running.length > 1" type="button" class="act small" @click="folio.stopAll()">
        Stop all {{ folio.running.length }}
      </button>
      <button v-if="over.length" type="button" class="act small" @click="folio.dismissJobs()">
        Clear the list
      </button>
    </div>
    <ul>
      <li v-for="job in folio.running" :key="job.id">
        <progress :value="job.progress" max="1" />
        <span class="figures">{{ Math.round(job.progress * 100) }} %</span>
        <button type="button" class="act small" @click="folio.stopJob(job.id)">Stop this</button>
        {{ job.title }}
      </li>
      <li v-for="job in over" :key="job.id">
        {{ job.title }}: <strong>{{ job.state }}</strong> <span>{{ outcome(job) }}</span>
      </li>
    </ul>
  </section>
</template>

<style scoped>
.work {
  border-bottom: 1px solid var(--hairline);
  padding-bottom: 8px;
  margin-bottom: 12px;
}
h2 {
  font: 600 16px var(--title-face);
}
ul {
  max-height: 132px;
  overflow-y: auto;
  margin: 4px 0 0;
  padding: 0;
  list-style: none;
}
li {
  padding: 3px 0;
}
.figures {
  display: inline-block;
  min-width: 46px;
  margin-right: 8px;
  text-align: right;
}
progress {
  width: 120px;
}
</style>
