/** What speaks for the notes shown: key and scale, chords struck together, partials, the spectrogram. */
import { defineStore } from 'pinia'
import { computed, ref, shallowRef, watch } from 'vue'
import { Spectrum } from '../lanes/spectrum'
import { pitchName } from '../ui/format'
import { client, told, type Schemas } from './client'
import { useFolio } from './folio'
import { useNotes } from './notes'
import { useNotices } from './notices'

/** A limit that is being moved asks again only when it rests. */
const RESTS_MS = 180

export const useEvidence = defineStore('evidence', () => {
  const folio = useFolio()
  const notes = useNotes()
  const notices = useNotices()
  const findings = shallowRef<Schemas['Findings'] | null>(null)
  const names = computed(() => findings.value?.names)
  const drums = computed(() => Object.keys(findings.value?.keys ?? {}).length > 0)
  /** Name of a pitch; of a part of drums, of the key. */
  const nameOf = (pitch: number) => findings.value?.keys[pitch] ?? pitchName(pitch, names.value)
  const partials = shallowRef<Schemas['Partial'][]>([])
  const shown = ref(false)
  const loaded = ref(0)
  const known = new Map<string, Spectrum>()
  let waiting = 0

  const spectrum = computed(() => {
    const take = notes.take
    if (!shown.value || take?.kind !== 'audio') return null
    const url = `/api/folios/${folio.id}/evidence/take/${notes.takeId}/spectrum`
    const facts = take.facts
    if (!known.has(url))
      known.set(url, new Spectrum(url, facts.duration_s ?? 0, facts.loudest_db ?? 0, () => loaded.value++))
    return known.get(url) ?? null
  })

  function askFindings(part_id: string, reading_id: string) {
    const path = folio.path
    const query = { least: notes.least, split: notes.split, shortest_s: notes.shortest }
    if (part_id)
      return client.GET('/api/folios/{folio_id}/evidence/part/{part_id}', {
        params: { path: { ...path, part_id } },
      })
    return client.GET('/api/folios/{folio_id}/evidence/reading/{reading_id}', {
      params: { path: { ...path, reading_id }, query },
    })
  }

  async function loadFindings() {
    const [part, reading] = [notes.partId, notes.readingId]
    if (!part && !reading) return
    // The part may be gone by now; what is shown next asks again.
    const found = await told(askFindings(part, reading)).catch(() => null)
    if (notes.partId === part && notes.readingId === reading) findings.value = found
  }

  async function loadPartials() {
    const s = notes.strokes
    const i = notes.focus
    if (i < 0 || notes.selectedIndices.length !== 1 || notes.take?.kind !== 'audio') {
      partials.value = []
      return
    }
    const octave = notes.part?.octave ?? 0
    const query = {
      onset_s: s.onset[i], offset_s: s.offset[i], pitch: Math.round(s.pitch[i]) - 12 * octave,
      part: notes.partId, reading: notes.readingId, least: notes.least,
    } // prettier-ignore
    const found = await told(
      client.GET('/api/folios/{folio_id}/evidence/take/{take_id}/partials', {
        params: { path: { ...folio.path, take_id: notes.takeId }, query },
      }),
    ).catch((error) => (notices.tellProblem(error), []))
    if (notes.focus === i) partials.value = found
  }

  watch(
    [
      () => notes.partId,
      () => notes.readingId,
      () => notes.notes,
      () => notes.candidates,
      () => !notes.partId && notes.least,
    ],
    () => {
      window.clearTimeout(waiting)
      waiting = window.setTimeout(() => void loadFindings(), RESTS_MS)
    },
    { immediate: true },
  )
  // What was found in something else says nothing of this.
  watch([() => notes.partId, () => notes.readingId], () => (findings.value = null), { flush: 'sync' })
  watch([() => notes.focus, () => notes.selectedIndices.length], () => void loadPartials())

  /** Gives the selection a part of its own and shows it. */
  async function send(name: string) {
    const ids = notes.selectedNotes()
    const from = notes.partId
    const answer = await folio.change(() =>
      told(
        client.POST('/api/folios/{folio_id}/parts/{part_id}/send', {
          params: { path: { ...folio.path, part_id: from } },
          body: { ids, name, base_revision: folio.base },
        }),
      ),
    )
    if (!answer) return
    await notes.showPart(answer.part)
    notices.tell(`${ids.length} notes sent to “${notes.part?.name}”.`, 'Undo brings them back.')
  }

  return { findings, names, drums, nameOf, partials, shown, loaded, spectrum, send }
})
