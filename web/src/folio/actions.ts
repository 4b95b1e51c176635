/** Everything that can be done, by button and by key. */
import type { Router } from 'vue-router'
import { usePlayer } from '../player/store'
import { openDialog } from '../ui/dialogs'
import { register, type Action } from '../ui/shortcuts'
import { beatActions } from './beatActions'
import { useBeats } from './beats'
import { useEvidence } from './evidence'
import { useFolio } from './folio'
import { useNotes } from './notes'
import { useNotices } from './notices'
import { sliceActions } from './sliceActions'
import { LEFT_OUT } from './strokes'
import { useView } from './view'

const NUDGE_S = 0.01
const SCRUB_MS = 70

export function registerActions(router: Router): void {
  const folio = useFolio()
  const notes = useNotes()
  const player = usePlayer()
  const view = useView()
  const notices = useNotices()
  const evidence = useEvidence()
  const beats = useBeats()
  let scrubbing = 0

  const here = () => router.currentRoute.value.name
  const inNotes = () => here() === 'notes'
  const inPart = () => inNotes() && notes.partId !== ''
  const chosen = () => inPart() && notes.selectedNotes().length > 0
  const noDialog = () => openDialog.value === ''

  function go(index: number, keepSelection = false) {
    const s = notes.strokes
    if (index < 0 || index >= s.onset.length) return
    if (!keepSelection) notes.select([s.id[index]])
    view.reveal(s.onset[index], s.offset[index])
    if (!player.playing) player.position = s.onset[index]
  }
  function stepNote(by: number) {
    const s = notes.strokes
    let index = notes.focus
    if (index < 0) {
      index = by > 0 ? -1 : s.onset.length
      const at = s.onset.findIndex((t) => t >= player.position - 0.001)
      if (at >= 0) index = by > 0 ? at - 1 : at
    }
    do index += by
    while (index >= 0 && index < s.onset.length && s.kind[index] === LEFT_OUT)
    go(index)
    void player.audition(index, 'both')
  }
  function walkDoubt(by: number) {
    const list = notes.doubts
    if (!list.length) return notices.tell('No note is in doubt at this limit.')
    const at = notes.focus
    const next = by > 0 ? list.find((i) => i > at) : [...list].reverse().find((i) => i < at || at < 0)
    const index = next ?? (by > 0 ? list[0] : list[list.length - 1])
    const s = notes.strokes
    go(index)
    const around = Math.max(1.5, (s.offset[index] - s.onset[index]) * 3)
    view.show(s.onset[index] - around, s.offset[index] + around)
    void player.audition(index, 'recording').then(() => {
      const wait = 1000 * Math.min(12, s.offset[index] - s.onset[index]) + 150
      setTimeout(() => notes.focus === index && !player.playing && void player.audition(index, 'note'), wait)
    })
  }
  async function keep() {
    const s = notes.strokes
    const out = notes.selectedIndices.filter((i) => s.kind[i] === LEFT_OUT)
    const own = notes.selectedNotes()
    if (!notes.partId)
      return notices.tell('Accept the reading first (A); then doubts can be kept or dropped.')
    const at = notes.focus
    if (out.length) await notes.takeOver(out.map((i) => s.onset[i]))
    if (own.length) await notes.edit('keep', {}, own)
    if (at >= 0) walkAfter(at)
  }
  async function drop() {
    const at = notes.focus
    const moment = at >= 0 ? notes.strokes.onset[at] : 0
    if (notes.selectedNotes().length) await notes.edit('delete')
    const next = notes.doubts.find((i) => notes.strokes.onset[i] > moment)
    if (next !== undefined) go(next)
  }
  function walkAfter(at: number) {
    const next = notes.doubts.find((i) => i > at)
    if (next !== undefined) go(next)
  }
  function removeSelected() {
    const s = notes.strokes
    const moment = notes.focus >= 0 ? s.onset[notes.focus] : 0
    void notes.edit('delete').then(() => {
      const next = notes.strokes.onset.findIndex((t) => t >= moment)
      if (next >= 0) go(next)
    })
  }
  function copy() {
    notes.clipboard = notes.selectedNotes()
    if (notes.clipboard.length)
      notices.tell(`${notes.clipboard.length} notes copied. Paste puts them at the cursor.`)
  }
  function addNote() {
    const at = player.position
    const pitch = Math.round(view.pointerPitch ?? (notes.focus >= 0 ? notes.strokes.pitch[notes.focus] : 60))
    const octave = notes.part?.octave ?? 0
    void notes.edit('add', { onset_s: at, offset_s: at + 0.4, pitch: pitch - 12 * octave, velocity: 90 }, [])
  }
  function walkDifference(by: number) {
    const list = notes.differences
    if (!list.length) return notices.tell('The two readings do not differ at this limit.')
    const now = player.position
    const next =
      by > 0
        ? list.find((d) => d.time_s > now + 0.001)
        : [...list].reverse().find((d) => d.time_s < now - 0.001)
    const found = next ?? (by > 0 ? list[0] : list[list.length - 1])
    player.position = found.time_s
    if (found.first >= 0) notes.select([notes.candidateId(found.first)])
    view.reveal(found.time_s - 0.5, found.time_s + 1)
  }
  async function selectGhosts() {
    await notes.pick('ghosts')
    const count = notes.selection.size
    if (count) go(notes.focus, true)
    notices.tell(
      count ? `May be ghosts of louder notes below: ${count}.` : 'No note looks like a ghost.',
      count ? 'They are selected: drop them all, or walk the doubts one by one.' : '',
    )
  }
  function startScrub() {
    const grain = () => view.pointerTime !== null && void player.scrub(view.pointerTime)
    player.stop()
    grain()
    scrubbing = window.setInterval(grain, SCRUB_MS)
  }

  const list: Action[] = [
    { id: 'play', label: 'Play', key: ' ', group: 'Hearing', run: () => player.toggle() },
    { id: 'loop', label: 'Loop', key: 'l', group: 'Hearing', run: () => player.toggleLoop() },
    { id: 'click', label: 'Click', key: 'c', group: 'Hearing', run: () => (player.click = player.click > 0 ? 0 : 0.6) },
    {
      id: 'only-recording', label: 'Recording only, while held', key: ',', group: 'Hearing',
      run: () => (player.held = 0), release: () => (player.held = null),
    },
    {
      id: 'only-notes', label: 'Notes only, while held', key: '.', group: 'Hearing',
      run: () => (player.held = 1), release: () => (player.held = null),
    },
    {
      id: 'scrub', label: 'Hear at the pointer, while held', key: 'g', group: 'Hearing',
      run: startScrub, release: () => window.clearInterval(scrubbing),
    },
    { id: 'hear-recording', label: 'Recording', key: '1', group: 'Walking and hearing', when: inNotes, run: () => void player.audition(notes.focus, 'recording') },
    { id: 'hear-note', label: 'Note', key: '2', group: 'Walking and hearing', when: inNotes, run: () => void player.audition(notes.focus, 'note') },
    { id: 'hear-both', label: 'Both', key: '3', group: 'Walking and hearing', when: inNotes, run: () => void player.audition(notes.focus, 'both') },
    { id: 'next-note', label: 'Next note', key: 'ArrowRight', group: 'Walking and hearing', when: inNotes, run: () => stepNote(1) },
    { id: 'previous-note', label: 'Previous note', key: 'ArrowLeft', group: 'Walking and hearing', when: inNotes, run: () => stepNote(-1) },
    { id: 'next-doubt', label: 'Next doubt', key: 'n', group: 'Walking and hearing', when: inNotes, run: () => walkDoubt(1) },
    { id: 'previous-doubt', label: 'Previous doubt', key: 'b', group: 'Walking and hearing', when: inNotes, run: () => walkDoubt(-1) },
    { id: 'next-difference', label: 'Next difference', key: 'f', group: 'Walking and hearing', when: () => inNotes() && notes.other !== null, run: () => walkDifference(1) },
    { id: 'keep', label: 'Keep', key: 'k', group: 'Mending', when: inNotes, run: () => void keep() },
    { id: 'drop', label: 'Drop', key: 'd', group: 'Mending', when: inPart, run: () => void drop() },
    { id: 'delete', label: 'Delete', key: 'Delete', group: 'Mending', when: chosen, run: removeSelected },
    { id: 'up', label: 'Semitone up', key: 'ArrowUp', group: 'Mending', when: chosen, run: () => void notes.edit('move', { semitones: 1 }) },
    { id: 'down', label: 'Semitone down', key: 'ArrowDown', group: 'Mending', when: chosen, run: () => void notes.edit('move', { semitones: -1 }) },
    { id: 'octave-up', label: 'Octave up', key: 'Shift+ArrowUp', group: 'Mending', when: chosen, run: () => void notes.edit('move', { semitones: 12 }) },
    { id: 'octave-down', label: 'Octave down', key: 'Shift+ArrowDown', group: 'Mending', when: chosen, run: () => void notes.edit('move', { semitones: -12 }) },
    { id: 'later', label: '10 ms later', key: 'Alt+ArrowRight', group: 'Mending', when: chosen, run: () => void notes.edit('move', { by_s: NUDGE_S }) },
    { id: 'earlier', label: '10 ms earlier', key: 'Alt+ArrowLeft', group: 'Mending', when: chosen, run: () => void notes.edit('move', { by_s: -NUDGE_S }) },
    { id: 'longer', label: '10 ms longer', key: ']', group: 'Mending', when: chosen, run: () => void notes.edit('ends', { end_by_s: NUDGE_S }) },
    { id: 'shorter', label: '10 ms shorter', key: '[', group: 'Mending', when: chosen, run: () => void notes.edit('ends', { end_by_s: -NUDGE_S }) },
    { id: 'join', label: 'Join', key: 'j', group: 'Mending', when: chosen, run: () => void joinSelected() },
    { id: 'split', label: 'Split at the cursor', key: 'x', group: 'Mending', when: chosen, run: () => void notes.edit('split', { at_s: splitPlace() }) },
    { id: 'trim', label: 'Trim ends to the sound', key: 'e', group: 'Mending', when: () => chosen() && notes.take?.kind === 'audio', run: () => void notes.edit('trim') },
    { id: 'trim-pedal', label: 'Trim ends to the pedal', key: 'Shift+e', group: 'Mending', when: chosen, run: () => void notes.edit('trim', { to: 'pedal' }) },
    { id: 'velocity', label: 'Velocity', key: 'v', group: 'Mending', when: chosen, run: () => (openDialog.value = 'velocity') },
    { id: 'runner-up', label: 'Take the runner-up', key: 'o', group: 'Mending', when: chosen, run: () => void notes.edit('runner-up') },
    { id: 'restore', label: 'Back to what was read', key: 'w', group: 'Mending', when: chosen, run: () => void notes.edit('restore') },
    { id: 'restrike-beats', label: 'Strike again at the beats', key: 'Shift+b', group: 'Mending', when: chosen, run: () => void notes.edit('restrike', { at: 'beats' }) },
    { id: 'restrike-attacks', label: 'Strike again at measured attacks', key: 'Shift+x', group: 'Mending', when: () => chosen() && !!notes.part?.reading, run: () => void notes.edit('restrike', { at: 'attacks' }) },
    { id: 'add', label: 'Add a note at the cursor', key: 'i', group: 'Mending', when: inPart, run: addNote },
    { id: 'copy', label: 'Copy', key: 'Mod+c', group: 'Mending', when: chosen, run: copy },
    { id: 'paste', label: 'Paste at the cursor', key: 'Mod+v', group: 'Mending', when: () => inPart() && notes.clipboard.length > 0, run: () => void notes.edit('paste', { at_s: player.position }, notes.clipboard) },
    { id: 'all-on-pitch', label: 'All on this pitch', key: 'p', group: 'Selecting', when: () => inNotes() && notes.focus >= 0, run: () => void notes.pick('pitch', Math.round(notes.strokes.pitch[notes.focus]) - 12 * (notes.part?.octave ?? 0)) },
    { id: 'select-all', label: 'All notes', key: 'Mod+a', group: 'Selecting', when: inNotes, run: () => void notes.pick('all') },
    { id: 'invert', label: 'The others', key: 'Shift+i', group: 'Selecting', when: inNotes, run: () => notes.invert() },
    { id: 'pick', label: 'Select by a rule', key: 's', group: 'Selecting', when: inPart, run: () => (openDialog.value = 'pick') },
    { id: 'ghosts', label: 'Ghosts', key: 'Shift+g', group: 'Selecting', when: inPart, run: () => void selectGhosts() },
    { id: 'select-none', label: 'Nothing', key: 'Escape', group: 'Selecting', when: () => noDialog() && inNotes(), run: () => notes.select([]) },
    { id: 'read', label: 'Read', key: 'r', group: 'Work', when: () => (inNotes() || here() === 'takes') && notes.take?.kind === 'audio', run: () => (openDialog.value = 'read') },
    { id: 'accept', label: 'Accept as a part', key: 'a', group: 'Work', when: () => inNotes() && !!notes.readingId && !notes.partId, run: () => void notes.accept() },
    { id: 'time', label: 'Time', key: 't', group: 'Work', run: () => (openDialog.value = 'time') },
    { id: 'table', label: 'As a table', key: 'Shift+t', group: 'Work', when: inNotes, run: () => (openDialog.value = 'table') },
    { id: 'mute', label: 'Mute the part', key: 'm', group: 'Work', when: inPart, run: () => void notes.setPart({ muted: !notes.part?.muted }) },
    { id: 'hand-on', label: 'Hand on', key: 'h', group: 'Work', run: () => (openDialog.value = here() === 'beat' && beats.id ? 'beat-files' : 'hand-on') },
    { id: 'undo', label: 'Undo', key: 'z', group: 'Work', when: () => !!folio.state?.undo, run: () => void folio.step(true) },
    { id: 'redo', label: 'Redo', key: 'Shift+z', group: 'Work', when: () => !!folio.state?.redo, run: () => void folio.step(false) },
    { id: 'history', label: 'History', key: 'y', group: 'Work', run: () => (openDialog.value = 'history') },
    { id: 'see-all', label: 'See all', key: 'Home', group: 'View', run: () => view.showAll() },
    { id: 'closer', label: 'Closer', key: '+', group: 'View', run: () => view.zoom(0.6, middle()) },
    { id: 'farther', label: 'Farther', key: '-', group: 'View', run: () => view.zoom(1 / 0.6, middle()) },
    { id: 'to-takes', label: 'Takes', key: 'PageUp', group: 'View', run: () => void router.push({ name: 'takes' }) },
    { id: 'to-notes', label: 'Notes', key: 'PageDown', group: 'View', run: () => void router.push({ name: 'notes' }) },
    { id: 'spectrum', label: 'Spectrum', key: 'u', group: 'View', when: () => inNotes() && notes.take?.kind === 'audio', run: () => (evidence.shown = !evidence.shown) },
    { id: 'theme', label: 'Day or night', key: 'Shift+n', group: 'View', run: () => (view.theme = view.theme === 'day' ? 'night' : 'day') },
    { id: 'help', label: 'Keys', key: '?', group: 'View', run: () => (openDialog.value = 'help') },
  ] // prettier-ignore
  register([...beatActions(router), ...sliceActions(router), ...list])

  function middle(): number {
    const at = player.position
    return at >= view.from && at <= view.to ? at : (view.from + view.to) / 2
  }
  function splitPlace(): number {
    const s = notes.strokes
    const i = notes.focus
    const at = player.position
    return at > s.onset[i] + 0.01 && at < s.offset[i] - 0.01 ? at : (s.onset[i] + s.offset[i]) / 2
  }
  /** One selected note is joined with the next; several with each other. */
  async function joinSelected() {
    const ids = notes.selectedNotes()
    if (ids.length === 1) {
      const s = notes.strokes
      let next = notes.focus + 1
      while (next < s.onset.length && s.kind[next] === LEFT_OUT) next++
      if (next < s.onset.length) ids.push(s.id[next])
    }
    await notes.edit('join', {}, ids)
  }
}
