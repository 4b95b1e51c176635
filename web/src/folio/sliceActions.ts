/** What can be done with slices, by button and by key. */
import type { Router } from 'vue-router'
import { usePlayer } from '../player/store'
import { hearLoop, hearSlice } from '../player/hearing'
import { openDialog } from '../ui/dialogs'
import type { Action } from '../ui/shortcuts'
import { laneOf } from './hitLanes'
import { useKits } from './kits'
import { useNotes } from './notes'
import { useNotices } from './notices'
import { useView } from './view'

const NUDGE_S = 0.001
const GAIN_STEP_DB = 1.5
const DRUM_KEYS = { kick: '4', snare: '5', hat: '6', tom: '7', cymbal: '8', other: '9' }

export function sliceActions(router: Router): Action[] {
  const kits = useKits()
  const notes = useNotes()
  const notices = useNotices()
  const player = usePlayer()
  const view = useView()
  const station = () => router.currentRoute.value.name === 'slices' && openDialog.value === ''
  const here = () => station() && kits.kit !== null
  const chosen = () => here() && kits.selection.size > 0
  const heard = () => here() && !kits.reading && !!kits.kit?.heard_by
  const uncut = () => station() && notes.take?.kind === 'audio' && !kits.id && !kits.reading

  function go(place: number) {
    const piece = kits.playable[place]
    if (!piece) return
    kits.select([piece.id])
    view.reveal(piece.first_s, piece.last_s)
    if (!player.playing) player.position = piece.first_s
    void hearSlice(piece)
  }
  function step(by: number) {
    if (kits.place >= 0) return go(kits.place + by)
    const next = kits.playable.findIndex((s) => s.first_s >= player.position - 0.001)
    go(by > 0 ? Math.max(next, 0) : next < 0 ? kits.playable.length - 1 : next - 1)
  }
  function walkDoubt(by: number) {
    const list = kits.doubts.map((s) => kits.playable.indexOf(s))
    if (!list.length) return notices.tell('No hit is in doubt at these thresholds.')
    const next = by > 0 ? list.find((i) => i > kits.place) : list.reverse().find((i) => i < kits.place)
    go(next ?? list[0])
  }

  return [
    { id: 'cut-loop', label: 'Cut the loop', key: 'r', group: 'Slices', when: uncut, run: () => void kits.cut() },
    { id: 'cut-again', label: 'Hear it again', key: 'r', group: 'Slices', when: heard, run: () => void kits.cut(kits.kit?.heard_by?.channels) },
    { id: 'hear-slice', label: 'Slice', key: '1', group: 'Slices', when: chosen, run: () => kits.focus && void hearSlice(kits.focus) },
    { id: 'hear-in-loop', label: 'Loop', key: '2', group: 'Slices', when: chosen, run: () => kits.focus && hearLoop(kits.focus) },
    { id: 'hear-rebuilt', label: 'Rebuilt', key: '3', group: 'Slices', when: here, run: () => void player.playRebuilt() },
    { id: 'slice-next', label: 'Next slice', key: 'ArrowRight', group: 'Slices', when: here, run: () => step(1) },
    { id: 'slice-previous', label: 'Previous slice', key: 'ArrowLeft', group: 'Slices', when: here, run: () => step(-1) },
    { id: 'slice-doubt', label: 'Next doubt', key: 'n', group: 'Slices', when: here, run: () => walkDoubt(1) },
    { id: 'slice-doubt-back', label: 'Previous doubt', key: 'b', group: 'Slices', when: here, run: () => walkDoubt(-1) },
    { id: 'slice-cut', label: 'Cut at the cursor', key: 'x', group: 'Slices', when: here, run: () => void kits.edit('cut', { at_s: player.position }, []) },
    { id: 'slice-remove', label: 'Take the cut away', key: 'Delete', group: 'Slices', when: chosen, run: () => void kits.edit('remove').then(() => kits.select([])) },
    { id: 'slice-attack', label: 'To the attack', key: 'e', group: 'Slices', when: chosen, run: () => void kits.edit('attack') },
    { id: 'slice-zero', label: 'To a zero crossing', key: 'Shift+e', group: 'Slices', when: chosen, run: () => void kits.edit('zero') },
    { id: 'slice-later', label: '1 ms later', key: 'Alt+ArrowRight', group: 'Slices', when: chosen, run: () => void kits.edit('nudge', { by_s: NUDGE_S }) },
    { id: 'slice-earlier', label: '1 ms earlier', key: 'Alt+ArrowLeft', group: 'Slices', when: chosen, run: () => void kits.edit('nudge', { by_s: -NUDGE_S }) },
    { id: 'slice-sample-later', label: 'A sample later', key: 'Alt+Shift+ArrowRight', group: 'Slices', when: chosen, run: () => void kits.edit('nudge', { by_frames: 1 }) },
    { id: 'slice-sample-earlier', label: 'A sample earlier', key: 'Alt+Shift+ArrowLeft', group: 'Slices', when: chosen, run: () => void kits.edit('nudge', { by_frames: -1 }) },
    { id: 'slice-reverse', label: 'Reverse', key: 'v', group: 'Slices', when: chosen, run: () => void kits.set((s) => ({ reversed: !s.reversed })) },
    { id: 'slice-mute', label: 'Mute', key: 'm', group: 'Slices', when: chosen, run: () => void kits.set((s) => ({ muted: !s.muted })) },
    { id: 'slice-end', label: 'As far as it sounds', key: 'f', group: 'Slices', when: chosen, run: () => void kits.set((s) => ({ end: s.end === 'sound' ? 'next' : 'sound' })) },
    { id: 'slice-louder', label: 'Louder', key: ']', group: 'Slices', when: chosen, run: () => void kits.set((s) => ({ gain_db: s.gain_db + GAIN_STEP_DB })) },
    { id: 'slice-softer', label: 'Softer', key: '[', group: 'Slices', when: chosen, run: () => void kits.set((s) => ({ gain_db: s.gain_db - GAIN_STEP_DB })) },
    { id: 'slice-two', label: 'Two drums', key: 'd', group: 'Slices', when: chosen, run: () => void kits.edit('two drums') },
    { id: 'slice-as-read', label: 'As read', key: 'w', group: 'Slices', when: chosen, run: () => void kits.edit('as read') },
    { id: 'slice-key-up', label: 'A key higher', key: 'ArrowUp', group: 'Slices', when: chosen, run: () => void kits.edit('order', { by: 1 }) },
    { id: 'slice-key-down', label: 'A key lower', key: 'ArrowDown', group: 'Slices', when: chosen, run: () => void kits.edit('order', { by: -1 }) },
    { id: 'slice-play-mode', label: 'Playing mode', key: 'k', group: 'Slices', when: here, run: () => (kits.playing = !kits.playing) },
    { id: 'slice-pads', label: 'Pads', key: 'p', group: 'Slices', when: here, run: () => (kits.pads = !kits.pads) },
    { id: 'slice-all', label: 'All slices', key: 'Mod+a', group: 'Slices', when: here, run: () => kits.select(kits.playable.map((s) => s.id)) },
    { id: 'slice-lane', label: 'All of this drum', key: 'a', group: 'Slices', when: () => chosen() && !!kits.focus?.strikes.length, run: () => kits.focus && kits.selectLane(laneOf(kits.focus.strikes[0])) },
    { id: 'slice-none', label: 'No slice', key: 'Escape', group: 'Slices', when: chosen, run: () => kits.select([]) },
    { id: 'slice-table', label: 'As a table', key: 'Shift+t', group: 'Slices', when: here, run: () => (openDialog.value = 'slice-table') },
    { id: 'kit-files', label: 'Hand the kit on', key: 'Shift+h', group: 'Slices', when: here, run: () => (openDialog.value = 'kit') },
    ...Object.entries(DRUM_KEYS).map(([drum, key]) => ({
      id: `drum-${drum}`, label: drum, key, group: 'Slices', when: chosen, run: () => void kits.nameDrum(drum),
    })),
    { id: 'to-slices', label: 'Slices', key: 'Shift+PageDown', group: 'View', when: () => notes.takeId !== '', run: () => void router.push({ name: 'slices' }) },
  ] // prettier-ignore
}
