/** What can be done with beats, by button and by key. */
import type { Router } from 'vue-router'
import { usePlayer } from '../player/store'
import { openDialog } from '../ui/dialogs'
import type { Action } from '../ui/shortcuts'
import { useBeats } from './beats'
import { isSame, placeNear, placesOf, toldOf, type Place } from './mapPlaces'
import { useNotes } from './notes'
import { useNotices } from './notices'
import { useView } from './view'

const NUDGE_S = 0.005
const FINE_S = 0.001
const LEAD_S = 0.4
const AROUND_S = 4
const AUDIBLE = 0.6

export function beatActions(router: Router): Action[] {
  const beats = useBeats()
  const notes = useNotes()
  const notices = useNotices()
  const player = usePlayer()
  const view = useView()
  const station = () => router.currentRoute.value.name === 'beat' && openDialog.value === ''
  const here = () => station() && beats.map !== null
  const chosen = () => here() && beats.focus >= 0
  const unread = () => station() && notes.take?.kind === 'audio' && !beats.id && !beats.reading
  /** A beat, or an onset between beats. */
  const placed = () => here() && beats.place !== null
  const time = (i: number) => beats.map?.time_s[i] ?? 0
  const told = () => (beats.map && beats.place ? toldOf(beats.map, beats.place) : null)

  function go(place: Place, closer = false) {
    if (!beats.map) return
    const at = toldOf(beats.map, place).time_s
    beats.selectPlace(place)
    if (closer) view.show(at - AROUND_S, at + AROUND_S)
    else view.reveal(at - 0.5, at + 0.5)
    if (!player.playing) player.position = at
  }
  /** Where the place lies among all, and all of them. */
  function among(): [number, Place[]] {
    const places = beats.map ? placesOf(beats.map) : []
    return [places.findIndex((each) => isSame(each, beats.place)), places]
  }
  function step(by: number) {
    const [at, places] = among()
    const next = at < 0 ? beats.map && placeNear(beats.map, player.position) : places[at + by]
    if (next) go(next)
  }
  function walkWeak(by: number) {
    const list = beats.map?.walk ?? []
    if (!list.length) return notices.tell('No beat is in doubt.')
    const at = list.findIndex((each) => isSame(each, beats.place))
    go(list[(at + by + list.length) % list.length], true)
    hearBeat()
  }
  function hearBeat() {
    const [at, places] = among()
    if (at < 0 || !beats.map) return
    const from = toldOf(beats.map, places[at]).time_s
    const next = places[at + 1]
    void player.hearRecording(from, next ? toldOf(beats.map, next).time_s : from + 0.5)
  }
  /** From a little before this beat, with the click. */
  function withClick() {
    if (player.click === 0) player.click = AUDIBLE
    void player.play(Math.max(0, (told()?.time_s ?? 0) - LEAD_S))
  }
  function loopBar() {
    const map = beats.map
    if (!map) return
    if (player.loop) {
      player.loop = null
      return
    }
    const at = beats.focus >= 0 ? beats.focus : beats.near(player.position)
    let first = at
    while (first > 0 && map.beat[first] !== 1) first--
    let last = at + 1
    while (last < map.time_s.length - 1 && map.beat[last] !== 1) last++
    player.loop = [time(first), time(last)]
    void player.play(time(first))
  }
  function pinAt(moment: number) {
    if (beats.place) void beats.put(beats.place, moment)
  }
  const nudge = (by: number) => pinAt((told()?.time_s ?? 0) + by)
  function pinAtAttack() {
    if (beats.between < 0) return void beats.edit('pin', { to_attack: true })
    const heard = told()?.heard_s
    if (heard != null) pinAt(heard)
  }
  function pinOrRelease() {
    if (beats.place && beats.between >= 0) return void beats.pin(beats.place, !told()?.pinned)
    const pinned = beats.selected.every((i) => beats.map?.pinned[i])
    void beats.edit(pinned ? 'release' : 'pin')
  }
  function steady() {
    const laid = beats.selected.filter((i) => beats.map?.steady[i])
    if (beats.selectedSteady) return void beats.edit('release', {}, laid)
    if (beats.selected.length > 2) return void beats.edit('steady')
    notices.tell('Select a stretch first: Shift with an arrow key, or Shift and a click on its last beat.')
  }
  function tap() {
    if (!player.playing) {
      beats.taps = []
      void player.play()
      return notices.tell('Tap along with V; stop to have the beats drawn to what is heard.')
    }
    beats.taps = [...beats.taps, player.position]
  }
  function play() {
    const was = player.playing
    player.toggle()
    if (was) void beats.keepTaps()
  }
  async function tryNumber(place: number) {
    const other = beats.map?.runners_up[place]
    if (!other) return notices.tell('There is no other way to count that was likely enough to keep.')
    await beats.tryCount(beats.trying === other.name ? '' : other.name)
    if (player.click === 0) player.click = AUDIBLE
    if (!player.playing) void player.play()
  }

  return [
    { id: 'find-beats', label: 'Find the beats', key: 'r', group: 'Beat', when: unread, run: () => void beats.find() },
    { id: 'beat-play', label: 'Play', key: ' ', group: 'Beat', when: here, run: play },
    { id: 'beat-with-click', label: 'With click', key: '1', group: 'Beat', when: placed, run: withClick },
    { id: 'beat-hear', label: 'This beat', key: '2', group: 'Beat', when: placed, run: hearBeat },
    { id: 'beat-loop', label: 'This bar, looped', key: 'l', group: 'Beat', when: here, run: loopBar },
    { id: 'beat-next', label: 'Next beat', key: 'ArrowRight', group: 'Beat', when: here, run: () => step(1) },
    { id: 'beat-previous', label: 'Previous beat', key: 'ArrowLeft', group: 'Beat', when: here, run: () => step(-1) },
    { id: 'beat-on', label: 'Select on to the next beat', key: 'Shift+ArrowRight', group: 'Beat', when: chosen, run: () => beats.extend(1) },
    { id: 'beat-back', label: 'Select back to the beat before', key: 'Shift+ArrowLeft', group: 'Beat', when: chosen, run: () => beats.extend(-1) },
    { id: 'beat-weak', label: 'Next weak beat', key: 'n', group: 'Beat', when: here, run: () => walkWeak(1) },
    { id: 'beat-weak-back', label: 'Previous weak beat', key: 'b', group: 'Beat', when: here, run: () => walkWeak(-1) },
    { id: 'beat-pin', label: 'Pin or release', key: 'p', group: 'Beat', when: placed, run: pinOrRelease },
    { id: 'beat-attack', label: 'Pin at the attack', key: 'e', group: 'Beat', when: placed, run: pinAtAttack },
    { id: 'beat-later', label: '5 ms later', key: 'Alt+ArrowRight', group: 'Beat', when: placed, run: () => nudge(NUDGE_S) },
    { id: 'beat-earlier', label: '5 ms earlier', key: 'Alt+ArrowLeft', group: 'Beat', when: placed, run: () => nudge(-NUDGE_S) },
    { id: 'beat-bit-later', label: '1 ms later', key: 'Alt+Shift+ArrowRight', group: 'Beat', when: placed, run: () => nudge(FINE_S) },
    { id: 'beat-bit-earlier', label: '1 ms earlier', key: 'Alt+Shift+ArrowLeft', group: 'Beat', when: placed, run: () => nudge(-FINE_S) },
    { id: 'beat-here', label: 'Beat to the cursor', key: 'k', group: 'Beat', when: placed, run: () => pinAt(player.position) },
    { id: 'beat-is', label: 'It is beat …', key: '=', group: 'Beat', when: chosen, run: () => (openDialog.value = 'beat-is') },
    { id: 'beat-meter', label: 'Meters', key: 'm', group: 'Beat', when: here, run: () => (openDialog.value = 'beat-meter') },
    { id: 'beat-hold', label: 'Hold this beat', key: 'o', group: 'Beat', when: chosen, run: () => (openDialog.value = 'beat-hold') },
    { id: 'beat-reread', label: 'Re-read to the next pin', key: 'r', group: 'Beat', when: () => placed() && (chosen() || !!beats.map?.score), run: () => void (beats.place && beats.reread(beats.place)) },
    { id: 'beat-insert', label: 'Beat in at the cursor', key: 'i', group: 'Beat', when: here, run: () => void beats.edit('insert', { time_s: player.position }, []) },
    { id: 'beat-remove', label: 'Take out', key: 'Delete', group: 'Beat', when: chosen, run: () => void beats.edit('remove') },
    { id: 'beat-half', label: 'Half from here', key: '[', group: 'Beat', when: chosen, run: () => void beats.edit('half', {}, [beats.focus]) },
    { id: 'beat-double', label: 'Twice from here', key: ']', group: 'Beat', when: chosen, run: () => void beats.edit('double', {}, [beats.focus]) },
    { id: 'beat-off', label: 'Half a beat later from here', key: 'x', group: 'Beat', when: chosen, run: () => void beats.edit('off beat', {}, [beats.focus]) },
    { id: 'beat-steady', label: 'Strictly steady', key: 's', group: 'Beat', when: chosen, run: steady },
    { id: 'beat-tap', label: 'Tap along', key: 'v', group: 'Beat', when: here, run: tap },
    { id: 'beat-marker', label: 'Marker at the cursor', key: 'j', group: 'Beat', when: here, run: () => (openDialog.value = 'beat-marker') },
    { id: 'beat-click', label: 'Click from here', key: 'Shift+c', group: 'Beat', when: chosen, run: () => (openDialog.value = 'beat-click') },
    { id: 'beat-rule', label: 'Make it the folio’s time', key: 'a', group: 'Beat', when: () => here() && !beats.map?.rules, run: () => void beats.rule() },
    { id: 'beat-strict', label: 'Strict or aligned score', key: 'd', group: 'Beat', when: () => here() && !!beats.map?.score, run: () => void beats.compareStrict() },
    { id: 'beat-all', label: 'All beats', key: 'Mod+a', group: 'Beat', when: here, run: () => beats.select(beats.map?.time_s.map((_, i) => i) ?? []) },
    { id: 'beat-none', label: 'No beat', key: 'Escape', group: 'Beat', when: placed, run: () => beats.select([]) },
    { id: 'beat-table', label: 'As a table', key: 'Shift+t', group: 'Beat', when: here, run: () => (openDialog.value = 'beat-table') },
    ...['4', '5', '6', '7', '8'].map((key, place) => ({
      id: `beat-other-${place + 1}`, label: `Hear another way to count, ${place + 1}`, key, group: 'Beat', when: here, run: () => void tryNumber(place),
    })),
    { id: 'to-beat', label: 'Beat', key: 'Shift+PageUp', group: 'View', when: () => notes.takeId !== '', run: () => void router.push({ name: 'beat' }) },
  ] // prettier-ignore
}
