/** The line being looked at: a reading's candidates or a part's notes, the selection, the limits. */
import { defineStore } from 'pinia'
import { computed, ref, shallowRef, watch } from 'vue'
import { client, told, type NoteBody, type Schemas } from './client'
import { echoed, withChange, type Action, type Values } from './echo'
import { useFolio } from './folio'
import { measuredLine, type MeasuredLine } from './measuredLine'
import { useNotices } from './notices'
import { oneAtATime } from './oneAtATime'
import { candidateId, countCounted, emptyStrokes, LEFT_OUT, PartStrokes, rowsInDoubt, sameCandidates, strokesOfCandidates } from './strokes' // prettier-ignore

type Candidates = Schemas['Candidates']
/** A limit that has not moved for so long rests. */
const RESTS_MS = 250

export const useNotes = defineStore('notes', () => {
  const folio = useFolio()
  const notices = useNotices()
  const takeId = ref('')
  const readingId = ref('')
  const partId = ref('')
  /** Whether the producer chose what is shown; otherwise a station shows what suits it. */
  const chosen = ref(false)
  const least = ref(0.5)
  const split = ref(0.5)
  const shortest = ref(0.05)
  const candidates = shallowRef<Candidates | null>(null)
  const other = shallowRef<{ id: string; candidates: Candidates } | null>(null)
  const differences = shallowRef<Schemas['Difference'][]>([])
  const line = shallowRef<MeasuredLine | null>(null)
  const notes = shallowRef<NoteBody[]>([])
  const selection = ref<Set<string>>(new Set())
  const clipboard = ref<string[]>([])
  let loadedLine = ''
  let committing = false
  /** Of which reading the candidates are, and at which limit they were formed. */
  let formed = { reading: '', least: 0 }
  let settling: ReturnType<typeof setTimeout> | undefined
  /** What the folio said of the part's notes when these came. */
  let loadedNotes: unknown = null

  const part = computed(() => (partId.value ? (folio.state?.parts[partId.value] ?? null) : null))
  const take = computed(() => folio.state?.takes[takeId.value] ?? null)
  const reading = computed(() => folio.readings.find((r) => r.id === readingId.value) ?? null)
  const readingsOfTake = computed(() => folio.readings.filter((r) => r.take === takeId.value))
  const partStrokes = new PartStrokes()
  // Numbers by themselves: a folio that changes in other things changes no stroke.
  const sure = computed(() => folio.state?.note_doubts.sure ?? 0)
  const worthWalking = computed(() => folio.state?.note_doubts.worth_walking ?? 1)
  const limits = computed(() => ({ least: least.value, sure: sure.value }))
  const strokes = computed(() => {
    if (part.value) return partStrokes.of(notes.value, candidates.value, limits.value, part.value.octave)
    if (candidates.value) return strokesOfCandidates(candidates.value, limits.value)
    return emptyStrokes()
  })
  const otherStrokes = computed(() =>
    other.value ? strokesOfCandidates(other.value.candidates, limits.value) : null,
  )
  // An edit keeps the list of names where the order stays, and with it this map.
  const names = computed(() => strokes.value.id)
  const indexOf = computed(() => new Map(names.value.map((id, i) => [id, i])))
  const selectedIndices = computed(() =>
    [...selection.value].map((id) => indexOf.value.get(id) ?? -1).filter((i) => i >= 0).sort((a, b) => a - b),
  ) // prettier-ignore
  const focus = computed(() => selectedIndices.value[0] ?? -1)
  const focusNote = computed(() => notes.value.find((n) => n.id === strokes.value.id[focus.value]) ?? null)
  const doubts = computed(() => rowsInDoubt(strokes.value, worthWalking.value))
  const counted = computed(() => countCounted(strokes.value))

  // Of what is loaded, answers that come when something else is shown are no longer wanted.
  async function loadCandidates() {
    const asked = readingId.value
    if (!asked || !folio.id) {
      candidates.value = null
      return
    }
    // What counts cuts what sounds before it. A part has its limit; that of a reading is at first the best one.
    const known = part.value || formed.reading === asked
    const query = { split: split.value, shortest_s: shortest.value, least: known ? least.value : undefined }
    const found = await told(
      client.GET('/api/folios/{folio_id}/readings/{reading_id}/candidates', {
        params: { path: { ...folio.path, reading_id: asked }, query },
      }),
    )
    const moved = split.value !== query.split || shortest.value !== query.shortest_s
    if (readingId.value !== asked || moved || least.value !== (query.least ?? least.value)) return
    if (candidates.value && formed.reading === asked)
      selection.value = new Set(sameCandidates(selection.value, candidates.value, found))
    formed = { reading: asked, least: query.least ?? found.limits.best }
    candidates.value = found
    // What differs is told by places among the candidates, which may be others now.
    if (other.value) await compareWith(other.value.id)
  }

  async function loadLine() {
    const asked = readingId.value
    if (loadedLine === asked) return
    loadedLine = asked
    if (!asked) {
      line.value = null
      return
    }
    const found = await measuredLine(folio.id, asked)
    if (readingId.value === asked) line.value = found
  }

  const loadNotes = oneAtATime(async () => {
    const asked = partId.value
    const said = part.value?.notes_changed
    const found = asked
      ? ((await told(
          client.GET('/api/folios/{folio_id}/parts/{part_id}/notes', {
            params: { path: { ...folio.path, part_id: asked } },
          }),
        )) as NoteBody[])
      : []
    if (partId.value !== asked) return
    notes.value = found
    loadedNotes = said
  })

  async function load() {
    try {
      await Promise.all([loadCandidates(), loadLine(), loadNotes()])
    } catch (error) {
      notices.tellProblem(error)
    }
  }

  function showReading(id: string) {
    const found = folio.readings.find((r) => r.id === id)
    chosen.value = true
    takeId.value = found?.take ?? takeId.value
    partId.value = ''
    readingId.value = id
    formed = { reading: '', least: 0 }
    selection.value = new Set()
    other.value = null
    differences.value = []
    return load().then(() => {
      // Meanwhile something else may be shown, whose limit is its own.
      if (!partId.value && readingId.value === id) limitAtBest()
    })
  }

  /** The limit at which most is expected to be right. */
  function limitAtBest() {
    least.value = candidates.value?.limits.best ?? least.value
  }

  function showPart(id: string) {
    const found = folio.state?.parts[id]
    if (!found) return Promise.resolve()
    chosen.value = true
    partId.value = id
    if (found.take) takeId.value = found.take
    readingId.value = found.reading
    least.value = found.least_confidence
    split.value = found.split
    shortest.value = found.shortest_s
    selection.value = new Set()
    other.value = null
    differences.value = []
    return load()
  }

  const partsOf = (id: string) =>
    Object.entries(folio.state?.parts ?? {}).flatMap(([part, p]) => (id && p.take === id ? [part] : []))

  function showTake(id: string) {
    const last = partsOf(id).at(-1)
    if (last) return showPart(last)
    takeId.value = id
    const found = folio.readings.filter((r) => r.take === id)
    return showReading(found.length ? found[found.length - 1].id : '')
  }

  /** What comes into view by this was not chosen by anybody. */
  function offer(coming: Promise<void>) {
    chosen.value = false
    return coming
  }

  /** Where nothing is in view: the first part that is heard, else the first recording, else the first performance. */
  function offerFirst() {
    const parts = Object.entries(folio.state?.parts ?? {})
    const made = (parts.find(([, each]) => !each.muted) ?? parts[0])?.[0]
    const first = folio.recordings[0] ?? Object.keys(folio.state?.takes ?? {})[0] ?? ''
    return offer(made ? showPart(made) : showTake(first))
  }

  /** Where nobody chose a take, the first that suits a station comes into view, or any recording. */
  function offerSuiting(suiting: string[]) {
    if (chosen.value) return
    const first = suiting[0] ?? (take.value?.kind === 'audio' ? undefined : folio.recordings[0])
    if (first) void offer(showTake(first))
  }

  // A folio was opened, something brought in; another window, undo or redo may have changed or removed what is shown.
  watch(
    () => folio.state?.revision,
    () => {
      if (!take.value && !part.value) void offerFirst()
      else if (partId.value && !part.value) void showTake(takeId.value)
      // The first part of a take comes into view where nothing of it was: a score laid on it, a pattern.
      else if (!partId.value && !readingId.value && partsOf(takeId.value).length)
        void offer(showTake(takeId.value))
      else if (part.value) {
        if (!committing) least.value = part.value.least_confidence
        // The answer to an edit has already brought these notes; most changes are of something else.
        if (loadedNotes !== part.value.notes_changed) void loadNotes().catch(notices.tellProblem)
      }
    },
  )
  watch([split, shortest], () => void loadCandidates().catch(notices.tellProblem))
  // While the limit is moved what counts is told at once; where notes end by it, when it rests.
  watch(least, () => {
    clearTimeout(settling)
    if (formed.least !== least.value)
      settling = setTimeout(() => void loadCandidates().catch(notices.tellProblem), RESTS_MS)
  })

  function select(ids: Iterable<string>, add = false) {
    selection.value = new Set(add ? [...selection.value, ...ids] : ids)
  }

  async function pick(rule: string, value = 0) {
    if (!partId.value) {
      select(
        strokes.value.id.filter((_, i) => rule !== 'pitch' || Math.round(strokes.value.pitch[i]) === value),
      )
      return
    }
    const found = await told(
      client.GET('/api/folios/{folio_id}/parts/{part_id}/pick', {
        params: { path: { ...folio.path, part_id: partId.value }, query: { rule: rule as never, value } },
      }),
    ).catch((error) => notices.tellProblem(error))
    if (found) select(found.ids)
  }

  function invert() {
    select(strokes.value.id.filter((id, i) => strokes.value.kind[i] !== LEFT_OUT && !selection.value.has(id)))
  }

  /** Ids of the selection that are notes of the part. */
  function selectedNotes(): string[] {
    return [...selection.value].filter((id) => !id.startsWith('candidate '))
  }

  async function edit(action: Action, values: Partial<Values> = {}, ids = selectedNotes()) {
    if (!partId.value) {
      notices.tell(
        'A reading is never changed.',
        'Accept it as a part first (A); then its notes can be mended.',
      )
      return
    }
    const before = notes.value
    // Shown before the server has answered.
    notes.value = echoed(before, action, new Set(ids), values)
    const answer = await folio.change(async () => {
      const based = folio.base ?? 0
      const edited = await told(
        client.POST('/api/folios/{folio_id}/parts/{part_id}/edit', {
          params: { path: { ...folio.path, part_id: partId.value } },
          body: { action, ids, values: values as Values, base_revision: based } as Schemas['Edit'],
        }),
      )
      if (edited.revision <= based + 1) {
        notes.value = withChange(notes.value, edited.put as NoteBody[], edited.removed)
        loadedNotes = edited.revision
      }
      return edited
    })
    if (answer === null) {
      notes.value = before
      await loadNotes()
    } else if (['paste', 'add', 'split', 'restrike', 'join'].includes(action)) {
      select(answer.put.map((n) => n.id))
    }
  }

  async function accept(name?: string) {
    if (!readingId.value) return
    const answer = await folio.change(() =>
      told(
        client.POST('/api/folios/{folio_id}/parts', {
          params: { path: folio.path },
          body: {
            reading: readingId.value,
            form: { split: split.value, shortest_s: shortest.value },
            least_confidence: least.value,
            name,
            base_revision: folio.base,
          } as Schemas['Accept'],
        }),
      ),
    )
    if (answer) {
      await showPart(answer.part)
      notices.tell(`Accepted: ${counted.value} notes, ${part.value?.left_out ?? 0} candidates left out.`)
    }
  }

  /** Brings the part in step with the limits shown. */
  async function commitLimit() {
    const p = part.value
    if (!p || !p.reading) return
    if (p.least_confidence === least.value && p.split === split.value && p.shortest_s === shortest.value)
      return
    // While one move is on its way, the next waits: the last one counts.
    if (committing) return
    committing = true
    const done = await folio.change(() =>
      told(
        client.PUT('/api/folios/{folio_id}/parts/{part_id}/limit', {
          params: { path: { ...folio.path, part_id: partId.value } },
          body: {
            form: { split: split.value, shortest_s: shortest.value },
            least_confidence: least.value,
            base_revision: folio.base,
          },
        }),
      ),
    )
    committing = false
    if (done !== null) await commitLimit()
    else least.value = part.value?.least_confidence ?? least.value
  }

  async function setPart(values: Partial<Schemas['PartChange']>, id = partId.value) {
    await folio.change(() =>
      told(
        client.PATCH('/api/folios/{folio_id}/parts/{part_id}', {
          params: { path: { ...folio.path, part_id: id } },
          body: { ...values, base_revision: folio.base } as Schemas['PartChange'],
        }),
      ),
    )
  }

  async function removePart(id = partId.value) {
    await folio.change(() =>
      told(
        client.DELETE('/api/folios/{folio_id}/parts/{part_id}', {
          params: { path: { ...folio.path, part_id: id }, query: { base_revision: folio.base } },
        }),
      ),
    )
  }

  /** Takes candidates into the part: left-out ones, or those of another reading. */
  async function takeOver(onsets: number[], from = readingId.value) {
    if (!partId.value) return
    await folio.change(() =>
      told(
        client.POST('/api/folios/{folio_id}/parts/{part_id}/take-over', {
          params: { path: { ...folio.path, part_id: partId.value } },
          body: {
            reading: from,
            form: { split: split.value, shortest_s: shortest.value },
            onsets_s: onsets,
            base_revision: folio.base,
          },
        }),
      ),
    )
  }

  async function compareWith(id: string) {
    if (!id) {
      other.value = null
      differences.value = []
      return
    }
    const asked = readingId.value
    const query = { split: split.value, shortest_s: shortest.value, least: least.value }
    try {
      const found = await told(
        client.GET('/api/folios/{folio_id}/readings/{reading_id}/candidates', {
          params: { path: { ...folio.path, reading_id: id }, query },
        }),
      )
      if (readingId.value !== asked) return
      other.value = { id, candidates: found }
      const differ = await told(
        client.GET('/api/folios/{folio_id}/readings/{reading_id}/differences', {
          params: {
            path: { ...folio.path, reading_id: asked },
            query: { other: id, ...query },
          },
        }),
      )
      if (other.value?.id === id) differences.value = differ
    } catch (error) {
      notices.tellProblem(error)
    }
  }

  async function read(settings: Partial<Schemas['EngineSettings']> = {}) {
    await folio.change(() =>
      told(
        client.POST('/api/folios/{folio_id}/readings', {
          params: { path: folio.path },
          body: { take: takeId.value, settings: settings as Schemas['EngineSettings'] },
        }),
      ),
    )
  }

  return {
    takeId, readingId, partId, chosen, least, split, shortest, candidates, other, differences, line, notes, selection,
    clipboard, part, take, reading, readingsOfTake, strokes, otherStrokes, indexOf, selectedIndices, focus,
    focusNote, doubts, counted, showReading, limitAtBest, showPart, showTake, offerSuiting, select, pick, invert, selectedNotes,
    edit, accept, commitLimit, setPart, removePart, takeOver, compareWith, read, load, candidateId,
  } // prettier-ignore
})
