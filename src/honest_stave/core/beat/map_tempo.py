"""How quick the beats of a map go, how far that may be off, and which of them deserve a look."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.beat.beat_map import Beat, BeatMap, Between, Stops, stops_of, times_of

Values = NDArray[np.float64]

# A beat that is sure lies within the first of these of its attack, one without any evidence within both.
SURE_WITHIN_S, UNSURE_WITHIN_S = 0.004, 0.05
# Beats less sure than this are walked through as doubts: of those at 0.8 to 0.9 three in four are right.
WEAK = 0.9


@dataclass(frozen=True)
class TempoCurve:
    """The tempo between stops, (stretches,): their middles (s), felt beats a minute, and how far these may be off."""

    middle_s: Values
    bpm: Values
    doubt_bpm: Values


def felt_bpm_of(beat_map: BeatMap) -> Values:
    """Felt beats a minute from each beat to the next, (beats - 1,); a hold counts for what is written."""
    written = np.ones(len(beat_map.beats))
    for hold in beat_map.holds:
        written[hold.beat] = hold.written_beats
    return np.asarray(60.0 * written[:-1] / np.diff(times_of(beat_map)))


def tempo_curve_of(beat_map: BeatMap) -> TempoCurve:
    """The tempo from each beat, or pin between beats, to the next; what is held is left out."""
    stops = stops_of(beat_map)
    free = ~np.isin(stops.place[:-1].astype(int), [h.beat for h in beat_map.holds])
    bpm = 60.0 * np.diff(stops.place) / np.diff(stops.time_s)
    doubt_bpm = bpm * _doubt_shares(beat_map, stops)
    middle_s = (stops.time_s[:-1] + stops.time_s[1:]) / 2
    return TempoCurve(middle_s[free], bpm[free], doubt_bpm[free])


def doubt_bpm_of(beat_map: BeatMap) -> Values:
    """How far the tempo from each beat to the next may be off, in felt beats a minute, (beats - 1,)."""
    pinned = np.array([b.pinned for b in beat_map.beats], np.bool_)
    beats = Stops(np.arange(len(beat_map.beats), dtype=float), times_of(beat_map), pinned)
    return np.asarray(felt_bpm_of(beat_map) * _doubt_shares(beat_map, beats))


def _doubt_shares(beat_map: BeatMap, stops: Stops) -> Values:
    """How far the tempo between stops may be off, as a share of it."""
    sure = np.array([b.confidence for b in beat_map.beats])[stops.place.astype(int)]
    off_s = SURE_WITHIN_S + UNSURE_WITHIN_S * np.where(stops.pinned, 0.0, 1 - sure)
    return np.asarray(np.minimum(np.hypot(off_s[:-1], off_s[1:]) / np.diff(stops.time_s), 0.5))


def weakest_first(beat_map: BeatMap) -> list[tuple[int | None, int | None]]:
    """What deserves a look, the weakest first: a beat, or an onset between beats. Pins are no longer in doubt."""
    weak: list[tuple[float, int | None, int | None]] = []
    weak += [(b.confidence, i, None) for i, b in enumerate(beat_map.beats) if _is_weak(b)]
    weak += [(b.confidence, None, i) for i, b in enumerate(beat_map.between) if _is_weak(b)]
    return [(beat, between) for _, beat, between in sorted(weak, key=lambda row: row[0])]


def _is_weak(onset: Beat | Between) -> bool:
    return not onset.pinned and onset.confidence < WEAK


def drift_ms_of(beat_map: BeatMap) -> list[float | None]:
    """By how much each measured attack lies after (or before, negative) the map, in ms."""
    return [None if b.heard_s is None else 1000.0 * (b.heard_s - b.time_s) for b in beat_map.beats]
