/** Peaks of the take in view; `ask` is called when a tile has come in. */
import { onBeforeUnmount, shallowRef, triggerRef, watch } from 'vue'
import { useFolio } from '../folio/folio'
import { useNotes } from '../folio/notes'
import { Peaks } from './peaks'

const known = new Map<string, Peaks>()
const listeners = new Set<() => void>()

export function usePeaks() {
  const folio = useFolio()
  const notes = useNotes()
  const peaks = shallowRef<Peaks | null>(null)
  const redraw = () => triggerRef(peaks)
  listeners.add(redraw)
  onBeforeUnmount(() => listeners.delete(redraw))
  watch(
    [() => notes.takeId, () => notes.take?.facts.frames],
    () => {
      const take = notes.take
      if (!take || take.kind !== 'audio') {
        peaks.value = null
        return
      }
      const url = `/api/folios/${folio.id}/takes/${notes.takeId}/peaks`
      if (!known.has(url)) {
        const told = () => listeners.forEach((listener) => listener())
        const { rate, frames, loudest_db } = take.facts
        known.set(url, new Peaks(url, rate, frames, loudest_db, told))
      }
      peaks.value = known.get(url) ?? null
    },
    { immediate: true },
  )
  return peaks
}
