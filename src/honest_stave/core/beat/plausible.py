"""Stretches of a map whose tempo can hardly be meant."""

from collections.abc import Sequence

import numpy as np

from honest_stave.core.beat.beat_map import BeatMap, stops_of
from honest_stave.core.beat.map_tempo import felt_bpm_of

# Between pins the tempo is this many times the usual one, or its inverse: a pin on another beat than it says.
BETWEEN_PINS = 1.7
# From one beat to the next it may go further: rubato, a breath.
BESIDE = 2.5


def implausible_stretches(beat_map: BeatMap, likely_held: Sequence[tuple[int, int, float]]) -> list[tuple[int, int]]:
    """Stretches (first beat, last beat) that are far too quick or too slow, in order.

    Args:
        beat_map: with its pins; beats that are held are left out of account.
        likely_held: beats that seem held, as from ``held.likely_held``: with no pin at either end, they are too.
    """
    bpm = felt_bpm_of(beat_map)
    held = [h.beat for h in beat_map.holds]
    for first, count, _ in likely_held:
        if not (beat_map.beats[first].pinned or beat_map.beats[first + count].pinned):
            held += range(first, first + count)
    free = np.ones(len(bpm), bool)
    free[[b for b in held if b < len(bpm)]] = False
    if not free.any():
        return []
    usual = np.median(bpm[free])
    octaves = np.abs(np.log2(bpm / usual))
    wrong = free & (octaves > np.log2(BESIDE))
    # A pin between two beats may tear the tempo on one of its sides.
    stops = stops_of(beat_map)
    steps, inside = np.diff(stops.place), stops.place[:-1].astype(int)
    torn = np.abs(np.log2(60 * steps / np.diff(stops.time_s) / usual)) > np.log2(BESIDE)
    wrong[inside[torn & (steps < 1) & free[inside]]] = True
    # What neighbouring pins imply is judged as one, whatever the beats between them do.
    pins = np.array([i for i, b in enumerate(beat_map.beats) if b.pinned], np.int64)
    if len(pins) > 1:
        beats, minutes = (np.concatenate([[0.0], np.cumsum(each)]) for each in (free, free / bpm))
        counted, lasting = np.diff(beats[pins]), np.diff(minutes[pins])
        implied = np.where(counted > 0, counted, usual) / np.where(counted > 0, lasting, 1.0)
        off = np.abs(np.log2(implied / usual)) > np.log2(BETWEEN_PINS)
        between = slice(int(pins[0]), int(pins[-1]))
        wrong[between] |= np.repeat(off, np.diff(pins)) & free[between]
    edges = np.flatnonzero(np.diff(np.concatenate([[0], wrong.astype(int), [0]])))
    return [(int(a), int(b)) for a, b in zip(edges[::2], edges[1::2], strict=True)]
