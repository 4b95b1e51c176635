<script setup lang="ts">
import { computed } from 'vue'
import { useEvidence } from '../folio/evidence'
import { useFolio } from '../folio/folio'
import { useView } from '../folio/view'
import { usePlayer } from '../player/store'
import ActButton from './ActButton.vue'
import { clock, signed } from './format'

const player = usePlayer()
const view = useView()
const folio = useFolio()
const evidence = useEvidence()

function barBeat(time: number): string {
  const grid = player.grid
  if (!grid?.time_s.length) return '–'
  let low = 0
  let high = grid.time_s.length
  while (high - low > 1) {
    const middle = (low + high) >> 1
    if (grid.time_s[middle] <= time) low = middle
    else high = middle
  }
  const next = grid.time_s[low + 1] ?? grid.time_s[low] + 1
  const hundredths = Math.floor(
    Math.max(0, Math.min(0.99, (time - grid.time_s[low]) / (next - grid.time_s[low]))) * 100,
  )
  return `${grid.bar[low]}.${grid.beat[low]}.${String(hundredths).padStart(2, '0')}`
}
/** So near before a beat a moment is heard on it: a loop that was cut to its bars begins a little before them. */
const HEARD_ON_S = 0.005
const place = computed(() => barBeat(player.position + HEARD_ON_S).replace(/\.\d\d$/, ''))
const pointer = computed(() => {
  if (view.pointerTime === null) return ''
  const pitch = view.pointerPitch
  const key = Math.round(pitch ?? 0)
  const cents = evidence.drums ? '' : ` ${signed(((pitch ?? 0) - key) * 100)} ct`
  const named = pitch === null ? '' : `${evidence.nameOf(key)}${cents}   `
  return `${named}${clock(view.pointerTime)} s   bar ${barBeat(view.pointerTime)}`
})
/** What is being done now; what waits comes after it. */
const job = computed(() => folio.running.find((j) => j.state === 'running') ?? folio.running[0])
</script>

<template>
  <footer class="player" aria-label="Player">
    <ActButton action="play" main class="wide" :label="player.playing ? 'Stop' : 'Play'" />
    <ActButton action="loop" :pressed="player.loop !== null" />
    <span class="place figures" aria-label="Position in bars and beats"
      >{{ place }} <small>bar.beat</small></span
    >
    <span class="figures" data-test="position"
      >{{ clock(player.position) }} <small class="soft">s</small></span
    >
    <label class="slider balance">
      <span><span>recording</span><span>ear balance</span><span>notes</span></span>
      <input v-model.number="player.balance" type="range" min="0" max="1" step="0.01" />
    </label>
    <label class="slider">
      <span
        ><span>click</span
        ><span>{{ player.click > 0 ? Math.round(player.click * 100) + ' %' : 'off' }}</span></span
      >
      <input v-model.number="player.click" type="range" min="0" max="1" step="0.05" />
    </label>
    <label class="sub soft">
      in
      <select v-model.number="player.subdivide" class="field" aria-label="Click subdivides each beat into">
        <option v-for="n in [1, 2, 3, 4]" :key="n" :value="n">{{ n }}</option>
      </select>
    </label>
    <label class="slider">
      <span
        ><span>pace</span><span>{{ player.pace }} %</span></span
      >
      <input v-model.number="player.pace" type="range" min="25" max="100" step="5" />
    </label>
    <span v-if="job" class="jobs" role="status">
      <span class="job-name" :title="job.title">{{ job.title }}</span>
      <progress :value="job.progress" max="1" />
      <template v-if="folio.running.length > 1">
        <span class="soft nowrap">and {{ folio.running.length - 1 }} more</span>
        <button type="button" class="act small" @click="folio.stopAll()">Stop all</button>
      </template>
      <button v-else type="button" class="act small" @click="folio.stopJob(job.id)">Stop this</button>
    </span>
    <span v-else class="pointer soft">{{ pointer }}</span>
  </footer>
</template>

<style scoped>
small {
  font-size: 12px;
}
.player {
  height: 58px;
  flex: none;
  display: flex;
  align-items: center;
  gap: 14px;
  padding: 0 16px;
  border-top: 1px solid var(--hairline);
}
.wide {
  min-width: 92px;
  justify-content: center;
}
.place {
  font-size: 19px;
  min-width: 118px;
}
.place small {
  font-size: 12px;
  color: var(--soft);
}
.player > .figures {
  white-space: nowrap;
}
.slider {
  width: 112px;
}
.balance {
  width: 216px;
}
@media (max-width: 1200px) {
  .player {
    gap: 10px;
  }
  .slider {
    width: 84px;
  }
  .balance {
    width: 190px;
  }
}
.slider > span {
  display: flex;
  justify-content: space-between;
  color: var(--soft);
  font-size: 12px;
}
.sub {
  display: flex;
  align-items: center;
  gap: 4px;
  font-size: 12px;
}
.pointer {
  margin-left: auto;
  font-size: 12px;
  white-space: pre;
}
.jobs {
  margin-left: auto;
  display: flex;
  align-items: center;
  gap: 8px;
  font-size: 12px;
  min-width: 0;
}
.job-name {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
  max-width: 180px;
}
.nowrap {
  white-space: nowrap;
}
progress {
  width: 80px;
}
</style>
