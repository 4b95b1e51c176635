/** What is in view: the stretch of time all lanes share, the pointer, the theme. */
import { defineStore } from 'pinia'
import { computed, ref, watch } from 'vue'

const SHORTEST_S = 0.002
const THEME_KEY = 'stave-theme'

export const useView = defineStore('view', () => {
  const duration = ref(10)
  const from = ref(0)
  const to = ref(10)
  const pointerTime = ref<number | null>(null)
  const pointerPitch = ref<number | null>(null)
  const theme = ref<'day' | 'night'>(localStorage.getItem(THEME_KEY) === 'night' ? 'night' : 'day')
  const span = computed(() => to.value - from.value)
  const margin = computed(() => Math.max(0.15, duration.value * 0.015))

  watch(
    theme,
    (value) => {
      document.documentElement.dataset.theme = value
      localStorage.setItem(THEME_KEY, value)
    },
    { immediate: true },
  )

  function show(first: number, last: number) {
    const longest = duration.value + 2 * margin.value
    const length = Math.min(Math.max(last - first, SHORTEST_S), longest)
    const start = Math.min(Math.max(first, -margin.value), duration.value + margin.value - length)
    from.value = start
    to.value = start + length
  }
  function showAll() {
    show(-margin.value, duration.value + margin.value)
  }
  function setDuration(seconds: number) {
    duration.value = Math.max(seconds, 0.01)
    showAll()
  }
  function pan(seconds: number) {
    show(from.value + seconds, to.value + seconds)
  }
  function zoom(factor: number, around: number) {
    const length = span.value * factor
    const share = (around - from.value) / span.value
    show(around - share * length, around + (1 - share) * length)
  }
  /** Brings a stretch into view without jumping where it is already seen. */
  function reveal(first: number, last: number) {
    if (first >= from.value && last <= to.value) return
    const length = Math.max(span.value, (last - first) * 1.3)
    show((first + last) / 2 - length / 2, (first + last) / 2 + length / 2)
  }
  return {
    duration, from, to, span, pointerTime, pointerPitch, theme,
    show, showAll, setDuration, pan, zoom, reveal,
  } // prettier-ignore
})
