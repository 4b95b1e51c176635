"""Edits of a beat map by the producer. Each gives a new map; pins are moved by nothing but a move of their own."""

from collections.abc import Sequence
from dataclasses import replace
from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.beat.beat_map import (
    Beat,
    BeatMap,
    ClickFrom,
    Hold,
    Marker,
    MeterFrom,
    check_map,
    cleared,
    places_of,
    relaid,
    stops_of,
    times_of,
)
from honest_stave.core.beat.smoothing import smoothed_s
from honest_stave.core.beat.tempo_map import check_meter
from honest_stave.core.errors import BadInput

# A beat put in belongs no closer to its neighbours than this share of the gap.
LEAST_SHARE = 0.08


def _with(beat_map: BeatMap, beats: Sequence[Beat]) -> BeatMap:
    return check_map(replace(beat_map, beats=tuple(beats)))


def _as_smooth(beat_map: BeatMap, free: NDArray[np.bool_]) -> BeatMap:
    """The map with those of its beats that are free as smooth as it says, (beats,)."""
    moments = np.where(free, smoothed_s(beat_map, beat_map.smoothing), times_of(beat_map))
    return _with(beat_map, [replace(b, time_s=t) for b, t in zip(beat_map.beats, moments.tolist(), strict=True)])


def _edited(beat_map: BeatMap, chosen: Sequence[int], change: dict[str, Any]) -> BeatMap:
    beats = list(beat_map.beats)
    for i in chosen:
        beats[i] = replace(beats[i], **change)
    return _with(beat_map, beats)


def check_chosen(beat_map: BeatMap, chosen: Sequence[int]) -> None:
    """Raises:
    BadInput: no beat is chosen, or one that is not there.
    """
    if not chosen:
        raise BadInput("No beat is selected.", "Click one, or walk to it with the arrow keys.")
    if min(chosen) < 0 or max(chosen) >= len(beat_map.beats):
        raise BadInput("This beat is no longer there.", "Choose it again.")


def move(beat_map: BeatMap, chosen: int, time_s: float) -> BeatMap:
    """The beat at ``time_s``, pinned there.

    Raises:
        BadInput: it would cross a neighbour.
    """
    check_crossing(beat_map, float(chosen), time_s)
    return _edited(beat_map, [chosen], {"time_s": float(time_s), "pinned": True})


def check_crossing(beat_map: BeatMap, place: float, time_s: float) -> None:
    """Nothing where what lies at a place, as in ``Stops``, may be put at ``time_s``.

    Raises:
        BadInput: it would cross a neighbour.
    """
    stops = stops_of(beat_map)
    others = stops.place != place
    before, after = others & (stops.place < place), others & (stops.place > place)
    crossed = np.concatenate([np.flatnonzero(before)[-1:], np.flatnonzero(after)[:1]])
    wrong = [i for i in crossed.tolist() if (stops.time_s[i] >= time_s) == (stops.place[i] < place)]
    if wrong:
        kind = "pin" if stops.pinned[wrong[0]] else "beat"
        raise BadInput(
            f"At {time_s:.3f} s it would cross the {kind} at {stops.time_s[wrong[0]]:.3f} s.",
            "Move or remove that one first, or set this one between its neighbours.",
        )


def pin(beat_map: BeatMap, chosen: Sequence[int], *, to_attack: bool = False) -> BeatMap:
    """The beats pinned where the map goes through them, or those that have a measured attack at it.

    Raises:
        BadInput: none of them has an attack.
    """
    beats = list(beat_map.beats)
    heard = {i: attack_s for i in chosen if (attack_s := beats[i].heard_s) is not None}
    if to_attack and not heard:
        raise BadInput(
            f"Nothing was heard to begin on {'these beats' if len(chosen) > 1 else 'this beat'}.",
            "Pin it where it lies, or move it to where it belongs.",
        )
    for i in heard if to_attack else chosen:
        beats[i] = replace(beats[i], pinned=True, time_s=heard[i] if to_attack else beats[i].time_s)
    return _with(beat_map, beats)


def release(beat_map: BeatMap, chosen: Sequence[int]) -> BeatMap:
    """The beats as read again, where they were read; between the pins around them the tempo bends as it did."""
    beats = list(beat_map.beats)
    for i in chosen:
        beats[i] = replace(beats[i], pinned=False, steady=False)
    loose = replace(beat_map, beats=tuple(beats))
    stops = stops_of(loose)
    pins = stops.place[stops.pinned]
    free = np.zeros(len(beats), bool)
    for i in chosen:
        before, after = pins[pins < i][-1:], pins[pins > i][:1]
        free[int(before[0]) + 1 if len(before) else 0 : int(np.ceil(after[0])) if len(after) else None] = True
    return _as_smooth(loose, free)


def number(beat_map: BeatMap, chosen: int, bar: int, beat: int) -> BeatMap:
    """The beat is beat ``beat`` of the bar printed as ``bar``: bar lines and numbers follow.

    Raises:
        BadInput: bars of this meter have fewer beats.
    """
    meter = _meter_at(beat_map, chosen)
    if not 1 <= beat <= meter.felt_beats:
        raise BadInput(
            f"A bar of {meter.numerator}/{meter.denominator} has {meter.felt_beats} beats, not {beat}.",
            "Change the meter first, or name another beat.",
        )
    by = (chosen - (beat - 1) - meter.beat) % meter.felt_beats
    first = beat_map.meters[0]
    if meter is first:
        # The first meter begins at the earliest downbeat, so that as few beats as possible are a pickup.
        moved = replace(first, beat=(first.beat + by) % first.felt_beats)
        meters = (moved, *beat_map.meters[1:])
    else:
        meters = tuple(replace(m, beat=m.beat + by) if m is meter else m for m in beat_map.meters)
        rising = all(a.beat < b.beat for a, b in pairwise(meters)) and meters[-1].beat < len(beat_map.beats)
        if not rising:
            raise BadInput("There is no room for that downbeat before the next meter.", "Change that meter first.")
    fresh = replace(beat_map, meters=meters)
    return check_map(
        replace(fresh, first_bar_number=fresh.first_bar_number + bar - int(places_of(fresh).bar[chosen]))
    )


def _meter_at(beat_map: BeatMap, beat: int) -> MeterFrom:
    return next((m for m in reversed(beat_map.meters) if m.beat <= beat), beat_map.meters[0])


def meter_from(beat_map: BeatMap, chosen: int, numerator: int, denominator: int) -> BeatMap:
    """The meter from this beat on, which becomes a downbeat, up to the next change of meter.

    Raises:
        BadInput: it is no meter.
    """
    check_meter(numerator, denominator)
    fresh = MeterFrom(chosen, numerator, denominator)
    meters = [m for m in beat_map.meters if m.beat != chosen]
    if chosen < meters[0].beat if meters else True:
        # Set inside the pickup, it is the first meter.
        meters = [m for m in meters if m.beat > chosen]
        kept = (
            [fresh, *meters[1:]]
            if meters and (meters[0].numerator, meters[0].denominator) == (4, 4)
            else [fresh, *meters]
        )
        return check_map(replace(beat_map, meters=tuple(kept)))
    return check_map(replace(beat_map, meters=tuple(sorted([*meters, fresh], key=lambda m: m.beat))))


def meters_by_bar(beat_map: BeatMap, listed: Sequence[tuple[int, int, int]]) -> BeatMap:
    """Meters as typed in one go: rows of printed bar, numerator and denominator, rising by bar.

    Raises:
        BadInput: bars out of order, or beyond the last, or what is no meter.
    """
    for _, numerator, denominator in listed:
        check_meter(numerator, denominator)
    if not listed or any(b[0] <= a[0] for a, b in pairwise(listed)):
        raise BadInput("The bars of the meters do not rise.", "Type one line a bar, such as: 7 3/4, then 12 4/4.")
    origin = beat_map.meters[0].beat
    meters = []
    at, bar = origin, beat_map.first_bar_number
    if listed[0][0] > bar:
        meters.append(beat_map.meters[0])
    for printed, numerator, denominator in listed:
        if printed < beat_map.first_bar_number:
            raise BadInput(
                f"Bar {printed} lies before the first bar, {beat_map.first_bar_number}.", "Begin with that."
            )
        length = meters[-1].felt_beats if meters else 0
        at, bar = at + (printed - bar) * length, printed
        if at >= len(beat_map.beats):
            raise BadInput(f"Bar {printed} lies beyond the last beat.", "Leave it out, or add beats first.")
        meters.append(MeterFrom(at, numerator, denominator))
    return check_map(replace(beat_map, meters=tuple(meters)))


def insert(beat_map: BeatMap, time_s: float) -> BeatMap:
    """One beat more, pinned at ``time_s``.

    Raises:
        BadInput: it would lie on another.
    """
    times = times_of(beat_map)
    place = int(np.searchsorted(times, time_s))
    if 0 < place < len(times):
        gap = times[place] - times[place - 1]
        if min(time_s - times[place - 1], times[place] - time_s) < LEAST_SHARE * gap:
            raise BadInput(f"There is a beat at {time_s:.3f} s already.", "Put the new one farther from it.")
    beats = [*beat_map.beats[:place], Beat(float(time_s), None, 1.0, True), *beat_map.beats[place:]]
    return check_map(_shifted(replace(beat_map, beats=tuple(beats)), place - 1, 1))


def remove(beat_map: BeatMap, chosen: Sequence[int]) -> BeatMap:
    """The beats taken out.

    Raises:
        BadInput: one of them is pinned.
    """
    _refuse_pins(beat_map, chosen, "removed")
    fresh = beat_map
    for i in sorted(set(chosen), reverse=True):
        fresh = cleared(fresh, {i - 1, i}.__contains__)
        fresh = replace(fresh, beats=fresh.beats[:i] + fresh.beats[i + 1 :])
        fresh = replace(
            fresh,
            holds=tuple(h for h in fresh.holds if h.beat != i),
            written_out=tuple(w for w in fresh.written_out if w.beat != i),
        )
        fresh = _shifted(fresh, i, -1)
    return check_map(fresh)


def _refuse_pins(beat_map: BeatMap, chosen: Sequence[int], what: str) -> None:
    pinned = [i for i in chosen if beat_map.beats[i].pinned]
    if pinned:
        raise BadInput(
            f"The beat at {beat_map.beats[pinned[0]].time_s:.3f} s is pinned and is not {what}.",
            "Release the pin first.",
        )


def _shifted(beat_map: BeatMap, from_beat: int, by: int) -> BeatMap:
    """What lies on beats where it was in the music after beats were put in or taken out."""
    moved = relaid(beat_map, lambda i: i + by if i > from_beat else i)
    by_beat = {m.beat: m for m in moved.meters}
    return replace(moved, meters=tuple(by_beat[b] for b in sorted(by_beat)))


def double_from(beat_map: BeatMap, chosen: int) -> BeatMap:
    """Twice the beats from this one to the next change of meter, each new one halfway."""
    stop = _stretch_end(beat_map, chosen)
    fresh = list(beat_map.beats[: chosen + 1])
    for a, b in pairwise(beat_map.beats[chosen:stop]):
        fresh += [Beat((a.time_s + b.time_s) / 2, None, min(a.confidence, b.confidence) / 2), b]
    added = len(fresh) - stop
    fresh += beat_map.beats[stop:]
    moved = replace(beat_map, beats=tuple(fresh))
    inside = {i: 2 * i - chosen for i in range(chosen, stop)}
    return check_map(relaid(moved, lambda i: inside.get(i, i + added if i >= stop else i)))


def half_from(beat_map: BeatMap, chosen: int) -> BeatMap:
    """Every second beat from this one to the next change of meter taken out.

    Raises:
        BadInput: one of those is pinned.
    """
    stop = _stretch_end(beat_map, chosen)
    out = list(range(chosen + 1, stop, 2))
    _refuse_pins(beat_map, out, "taken out")
    kept = [i for i in range(len(beat_map.beats)) if i not in set(out)]
    place = {old: new for new, old in enumerate(kept)}
    moved = replace(
        cleared(beat_map, lambda gap: chosen <= gap < stop),
        beats=tuple(beat_map.beats[i] for i in kept),
        holds=tuple(h for h in beat_map.holds if h.beat in place),
    )
    return check_map(relaid(moved, lambda i: place.get(i, place.get(i - 1, 0))))


def off_beat_from(beat_map: BeatMap, chosen: int) -> BeatMap:
    """The beats from this one to the next change of meter half a beat later, between where they were.

    Raises:
        BadInput: one of those is pinned.
    """
    stop = _stretch_end(beat_map, chosen)
    last = stop - 1 if stop < len(beat_map.beats) else stop
    _refuse_pins(beat_map, range(chosen, last), "moved")
    beat_map = cleared(beat_map, lambda gap: chosen - 1 <= gap < last)
    times = times_of(beat_map)
    later_s = np.append(times[1:], 2 * times[-1] - times[-2])
    moved = [
        Beat(float(times[i] + later_s[i]) / 2, None, beat_map.beats[i].confidence / 2) for i in range(chosen, last)
    ]
    return check_map(_with(beat_map, [*beat_map.beats[:chosen], *moved, *beat_map.beats[last:]]))


def _stretch_end(beat_map: BeatMap, chosen: int) -> int:
    """First beat after the stretch of one meter, the beat of the next meter counted in as its end."""
    # The pickup belongs to the first meter, though it lies before it.
    return next((m.beat + 1 for m in beat_map.meters[1:] if m.beat > chosen), len(beat_map.beats))


def steady(beat_map: BeatMap, first: int, last: int) -> BeatMap:
    """The stretch made strictly steady between its ends, and between pins inside it; smoothing leaves it so."""
    if last - first < 2:
        raise BadInput("A stretch needs at least three beats.", "Select from the first to the last of them.")
    beats = list(beat_map.beats)
    stops = stops_of(beat_map)
    ends = (stops.place == first) | (stops.place == last)
    kept = ends | (stops.pinned & (stops.place > first) & (stops.place < last))
    moments = np.interp(np.arange(len(beats)), stops.place[kept], stops.time_s[kept])
    for i in range(first + 1, last):
        if not beats[i].pinned:
            beats[i] = replace(beats[i], time_s=float(moments[i]), steady=True)
    return _with(beat_map, beats)


def replace_stretch(beat_map: BeatMap, first: int, last: int, fresh: Sequence[Beat]) -> BeatMap:
    """Beats between two others, both kept, in the place of those read there, as smooth as the map is.

    Raises:
        BadInput: a pin lies between them.
    """
    _refuse_pins(beat_map, range(first + 1, last), "read anew")
    beat_map = cleared(beat_map, lambda gap: first <= gap < last)
    added = len(fresh) - (last - first - 1)
    beats = [*beat_map.beats[: first + 1], *fresh, *beat_map.beats[last:]]
    inside = first + 1
    kept = replace(
        beat_map,
        beats=tuple(beats),
        holds=tuple(h for h in beat_map.holds if not inside <= h.beat < last),
        meters=tuple(m for m in beat_map.meters if not inside <= m.beat < last) or beat_map.meters[:1],
    )
    place = np.arange(len(beats))
    fresh_map = check_map(relaid(kept, lambda i: i + added if i >= last else min(i, len(beats) - 1)))
    return _as_smooth(fresh_map, (place > first) & (place <= first + len(fresh)))


def hold(beat_map: BeatMap, chosen: int, written_beats: int | None) -> BeatMap:
    """The beat held, written as so many beats; None lets it go."""
    others = tuple(h for h in beat_map.holds if h.beat != chosen)
    if written_beats is None:
        return check_map(replace(beat_map, holds=others))
    if not 1 <= written_beats <= 32:
        raise BadInput(f"A hold of {written_beats} beats cannot be.", "Write it as 1 to 32 beats.")
    return check_map(
        replace(beat_map, holds=tuple(sorted((*others, Hold(chosen, written_beats)), key=lambda h: h.beat)))
    )


def mark(beat_map: BeatMap, time_s: float, name: str) -> BeatMap:
    """A named marker; an empty name takes the nearest within 0.2 s away."""
    near = [m for m in beat_map.markers if abs(m.time_s - time_s) < 0.2]
    if not name:
        return replace(beat_map, markers=tuple(m for m in beat_map.markers if m not in near))
    markers = (*(m for m in beat_map.markers if m not in near), Marker(time_s, name))
    return replace(beat_map, markers=tuple(sorted(markers, key=lambda m: m.time_s)))


def click_from(beat_map: BeatMap, click: ClickFrom) -> BeatMap:
    """How the click sounds from a beat on."""
    kept = [c for c in beat_map.clicks if c.beat != click.beat]
    return replace(beat_map, clicks=tuple(sorted([*kept, click], key=lambda c: c.beat)))
