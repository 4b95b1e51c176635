"""Onsets of an aligned score that lie between felt beats: carried along with the beats, moved, pinned, released."""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from honest_stave.core.beat.beat_map import BeatMap, Between, check_map, onsets_of, stops_of
from honest_stave.core.beat.map_edits import check_crossing
from honest_stave.core.errors import BadInput


def carried(before: BeatMap, now: BeatMap) -> BeatMap:
    """The map after an edit, its onsets between beats where beats and pins have taken them.

    Args:
        before: the map before the edit.
        now: the map after it; where other beats or onsets are in it, they stay where they are.
    """
    old, new = onsets_of(before), onsets_of(now)
    if not now.between or not np.array_equal(old.place, new.place):
        return now
    # Beats, pins, and what the edit itself has put somewhere take along what lies between them.
    taken = (new.place % 1 == 0) | new.pinned | (new.time_s != old.time_s)
    time_s = np.where(taken, new.time_s, np.interp(old.time_s, old.time_s[taken], new.time_s[taken]))
    at = dict(zip(new.place.tolist(), time_s.tolist(), strict=True))
    moved = [(b, at[b.beat + b.share]) for b in now.between]
    return replace(now, between=tuple(b if t == b.time_s else replace(b, time_s=t) for b, t in moved))


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
    """The onsets between beats where they were heard, or where they are written if that lies beyond a neighbour."""
    _check(beat_map, chosen)
    fresh = _with(beat_map, {i: replace(beat_map.between[i], pinned=False) for i in chosen})
    stops = stops_of(fresh)
    moved = {}
    for i in chosen:
        onset = fresh.between[i]
        after = int(np.searchsorted(stops.place, onset.beat + onset.share))
        inside = onset.heard_s is not None and stops.time_s[after - 1] < onset.heard_s < stops.time_s[after]
        written_s = float(np.interp(onset.beat + onset.share, stops.place, stops.time_s))
        moved[i] = replace(onset, time_s=onset.heard_s if inside and onset.heard_s is not None else written_s)
    return _with(fresh, moved)


def _check(beat_map: BeatMap, chosen: Sequence[int]) -> None:
    if not chosen or min(chosen) < 0 or max(chosen) >= len(beat_map.between):
        raise BadInput("This onset is no longer there.", "Choose it again.")


def _with(beat_map: BeatMap, fresh: dict[int, Between]) -> BeatMap:
    between = tuple(fresh.get(i, b) for i, b in enumerate(beat_map.between))
    return check_map(replace(beat_map, between=between))
