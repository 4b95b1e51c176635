<script setup lang="ts">
/** The meter from the selected beat on, and all meters by bar in one go. */
import { ref } from 'vue'
import { useBeats } from '../../folio/beats'
import { useNotices } from '../../folio/notices'
import { openDialog } from '../dialogs'

const beats = useBeats()
const notices = useNotices()
const meter = ref('3/4')
const listed = ref(
  (beats.map?.meters ?? []).map((m) => `${m.bar} ${m.numerator}/${m.denominator}`).join('\n'),
)

function parts(text: string): [number, number] | null {
  const found = /^\s*(\d+)\s*\/\s*(\d+)\s*$/.exec(text)
  return found ? [Number(found[1]), Number(found[2])] : null
}
/** Bar, numerator and denominator. */
function row(line: string): [number, number, number] | null {
  const found = /^\s*(-?\d+)\s+(.*)$/.exec(line)
  const meter = parts(found?.[2] ?? '')
  return meter && [Number(found?.[1]), ...meter]
}
async function fromHere() {
  const found = parts(meter.value)
  if (!found) return notices.tell('A meter is written as 3/4 or 6/8.')
  const [numerator, denominator] = found
  if (await beats.edit('meter', { numerator, denominator }, [beats.focus])) openDialog.value = ''
}
async function all() {
  const lines = listed.value.split('\n').filter((line) => line.trim())
  const rows = lines.map(row)
  const meters = rows.filter((one) => one !== null)
  const bad = rows.indexOf(null)
  if (bad >= 0) return notices.tell(`Line ${bad + 1} is no bar and meter.`, 'Type lines such as: 7 3/4')
  if (await beats.edit('meters', { meters }, [])) openDialog.value = ''
}
</script>

<template>
  <template v-if="beats.focus >= 0">
    <h3>From the selected beat on</h3>
    <form class="row" @submit.prevent="fromHere">
      <input v-model="meter" class="field" aria-label="Meter from here" data-test="meter" autofocus />
      <button type="submit" class="act main">From here</button>
    </form>
  </template>
  <h3>All meters by bar, one a line</h3>
  <form @submit.prevent="all">
    <textarea v-model="listed" class="field" rows="7" aria-label="Meters by bar" />
    <button type="submit" class="act">Set all</button>
  </form>
</template>

<style scoped>
textarea {
  display: block;
  width: 220px;
  margin-bottom: 8px;
  font: 13px var(--figure-face);
}
input {
  width: 84px;
}
</style>
