"""Onsets of an aligned score that lie between felt beats: carried along with the beats, moved, pinned, released."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.beat import map_edits
from honest_stave.core.beat.beat_map import Beat, BeatMap, Between, check_map, onsets_of, stops_of
from honest_stave.core.beat.map_edits import check_crossing
from honest_stave.core.errors import BadInput

Values = NDArray[np.float64]

# Moments are kept to a tenth of a microsecond.
SAME_S = 1e-5
# Scores let notes go up to so many felt beats before the place at which they are meant to end, and hardly after it.
EARLY_END, LATE_END = 0.15, 0.02


@dataclass(frozen=True)
class Moved:
    """Beats and onsets between them before and after an edit, (onsets,).

    Args:
        place: in the list of beats, with the share of the way to the next one.
        old_s, new_s: moments; of what is in one of the maps only, where it would lie in the other.
        old_pinned, new_pinned: whether they were and are pinned.
    """

    place: Values
    old_s: Values
    new_s: Values
    old_pinned: NDArray[np.bool_]
    new_pinned: NDArray[np.bool_]


def moved_by(before: BeatMap, now: BeatMap) -> Moved | None:
    """What an edit has moved and pinned, None where the beats are other ones."""
    if len(before.beats) != len(now.beats):
        return None
    old, new = onsets_of(before), onsets_of(now)
    place = np.union1d(old.place, new.place)
    old_s, new_s = (np.interp(place, each.place, each.time_s) for each in (old, new))
    old_pinned, new_pinned = (np.isin(place, each.place[each.pinned]) for each in (old, new))
    return Moved(place, old_s, new_s, old_pinned, new_pinned)


def carried(before: BeatMap, now: BeatMap) -> BeatMap:
    """The map after an edit, its onsets between beats where beats and pins have taken them.

    Args:
        before: the map before the edit.
        now: the map after it; where other beats are in it, they stay where they are.
    """
    moved = moved_by(before, now) if now.between else None
    if moved is None:
        return now
    # Beats, pins, and what the edit itself has put somewhere take along what lies between them.
    put = np.isin(moved.place, onsets_of(before).place) & (moved.new_s != moved.old_s)
    taken = (moved.place % 1 == 0) | moved.new_pinned | put
    time_s = np.where(taken, moved.new_s, np.interp(moved.old_s, moved.old_s[taken], moved.new_s[taken]))
    at = dict(zip(moved.place.tolist(), time_s.tolist(), strict=True))
    fresh = [(b, at[b.beat + b.share]) for b in now.between]
    return replace(now, between=tuple(b if t == b.time_s else replace(b, time_s=t) for b, t in fresh))


def pin_at(beat_map: BeatMap, place: float, time_s: float) -> BeatMap:
    """The map pinned where something ends: at the beat or the onset that lies there, or at one that is put in.

    Args:
        beat_map: the map.
        place: in the list of beats, with the share of the way to the next one.
        time_s: its moment.

    Raises:
        BadInput: it lies beyond the last beat, or would cross a beat or another pin.
    """
    onsets = onsets_of(beat_map)
    if not 0 <= place <= len(beat_map.beats) - 1:
        raise BadInput("There is no beat after this place.", "Put one in first.")
    near = onsets.place[(onsets.place >= place - LATE_END) & (onsets.place <= place + EARLY_END)]
    at = float(near[np.abs(near - place).argmin()]) if len(near) else place
    beat, share = int(at), at - int(at)
    if share == 0:
        return map_edits.move(beat_map, beat, time_s)
    places = [b.beat + b.share for b in beat_map.between]
    if at in places:
        return move_between(beat_map, places.index(at), time_s)
    put = Between(beat, share, float(np.interp(at, onsets.place, onsets.time_s)))
    order = sorted([*beat_map.between, put], key=lambda b: b.beat + b.share)
    return move_between(replace(beat_map, between=tuple(order)), order.index(put), time_s)


def move_between(beat_map: BeatMap, chosen: int, time_s: float) -> BeatMap:
    """The onset between beats at ``time_s``, pinned there.

    Raises:
        BadInput: it is not there, or would cross a beat or another pin.
    """
    _check(beat_map, [chosen])
    onset = beat_map.between[chosen]
    check_crossing(beat_map, onset.beat + onset.share, time_s)
    return _with(beat_map, {chosen: replace(onset, time_s=float(time_s), pinned=True)})


def pin_between(beat_map: BeatMap, chosen: Sequence[int]) -> BeatMap:
    """The onsets between beats pinned where they are."""
    _check(beat_map, chosen)
    return _with(beat_map, {i: replace(beat_map.between[i], pinned=True) for i in chosen})


def release_between(beat_map: BeatMap, chosen: Sequence[int]) -> BeatMap:
    """The onsets between beats where they were heard, or where they are written if that lies beyond a neighbour.

    One at which nothing is written to begin, put in to be pinned, is there no longer.
    """
    _check(beat_map, chosen)
    fresh = _with(beat_map, {i: replace(beat_map.between[i], pinned=False) for i in chosen})
    stops = stops_of(fresh)
    moved = {}
    for i in chosen:
        onset = fresh.between[i]
        if onset.heard_s is None:
            continue
        after = int(np.searchsorted(stops.place, onset.beat + onset.share))
        inside = stops.time_s[after - 1] < onset.heard_s < stops.time_s[after]
        written_s = float(np.interp(onset.beat + onset.share, stops.place, stops.time_s))
        moved[i] = replace(onset, time_s=onset.heard_s if inside else written_s)
    fresh = _with(fresh, moved)
    return replace(fresh, between=tuple(b for b in fresh.between if b.pinned or b.heard_s is not None))


def laid_anew(beat_map: BeatMap, was_s: Values, now_s: Values, confidence: Values) -> BeatMap:
    """The map with onsets where they were laid anew; pins stay, what begins nowhere goes along with its neighbours.

    Args:
        beat_map: the map.
        was_s: where each onset was heard before, (onsets,), rising.
        now_s: where it is heard now.
        confidence: how sure that is.

    Raises:
        BadInput: beats would cross.
    """

    def heard(onset: Beat | Between) -> dict[str, Any]:
        at = int(np.abs(was_s - onset.heard_s).argmin()) if onset.heard_s is not None else 0
        if onset.heard_s is None or abs(was_s[at] - onset.heard_s) > SAME_S:
            return {}
        fresh = {"heard_s": float(now_s[at]), "confidence": float(confidence[at])}
        return fresh if onset.pinned else {**fresh, "time_s": float(now_s[at])}

    beats = tuple(replace(b, **heard(b)) for b in beat_map.beats)
    between = tuple(replace(b, **heard(b)) for b in beat_map.between)
    laid = replace(beat_map, beats=beats, between=between)
    old, new = onsets_of(beat_map), onsets_of(laid)
    moved = np.flatnonzero(new.time_s != old.time_s)
    if not len(moved):
        return laid
    # Up to the pins on both sides what was not laid goes along with what was.
    pins = np.flatnonzero(new.pinned)
    first = max([0, *pins[pins < moved[0]].tolist()])
    last = min([len(new.place) - 1, *pins[pins > moved[-1]].tolist()])
    taken = np.ones(len(new.place), bool)
    taken[first + 1 : last] = (new.pinned | (new.time_s != old.time_s))[first + 1 : last]
    time_s = np.interp(old.time_s, old.time_s[taken], new.time_s[taken])
    at = dict(zip(new.place.tolist(), np.where(taken, new.time_s, time_s).tolist(), strict=True))
    return check_map(
        replace(
            laid,
            beats=tuple(replace(b, time_s=at[float(i)]) for i, b in enumerate(beats)),
            between=tuple(replace(b, time_s=at[b.beat + b.share]) for b in between),
        )
    )


def _check(beat_map: BeatMap, chosen: Sequence[int]) -> None:
    if not chosen or min(chosen) < 0 or max(chosen) >= len(beat_map.between):
        raise BadInput("This onset is no longer there.", "Choose it again.")


def _with(beat_map: BeatMap, fresh: dict[int, Between]) -> BeatMap:
    between = tuple(fresh.get(i, b) for i, b in enumerate(beat_map.between))
    return check_map(replace(beat_map, between=between))
