/** Short messages: what happened, and what to do. */
import { defineStore } from 'pinia'
import { ref } from 'vue'
import { Problem } from './client'

export interface Notice {
  id: number
  kind: 'news' | 'problem'
  title: string
  detail: string
}

const LASTING_MS = 7000

export const useNotices = defineStore('notices', () => {
  const list = ref<Notice[]>([])
  let next = 1

  function dismiss(id: number) {
    list.value = list.value.filter((n) => n.id !== id)
  }
  function tell(title: string, detail = '', kind: Notice['kind'] = 'news') {
    if (list.value.some((n) => n.title === title && n.detail === detail)) return
    const id = next++
    // News gives way to newer news; a problem stays until it is closed.
    const kept = list.value.filter((n) => n.kind === 'problem').slice(-2)
    list.value = [...kept, { id, kind, title, detail }]
    if (kind === 'news') setTimeout(() => dismiss(id), LASTING_MS)
  }
  function tellProblem(error: unknown) {
    if (error instanceof Problem) tell(error.title, error.detail, 'problem')
    else tell('Something went wrong in this window.', String(error), 'problem')
  }
  return { list, tell, tellProblem, dismiss }
})
