"""Read beats drawn towards an even tempo, by an amount; what the producer has set stays."""

import itertools
from dataclasses import replace
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.beat.beat_map import SHORTEST_BEAT_S, BeatMap, check_map, times_of

# Stiffness at amount 1, in beats to the sixth power: bends of about 25 beats stay.
STIFFEST = 5000.0
THIRD_DIFFERENCE = (-1.0, 3.0, -3.0, 1.0)
SET_WEIGHT = 1e6
WEAKEST = 0.05


def smooth(beat_map: BeatMap, amount: float) -> BeatMap:
    """Read beats drawn towards an even tempo; pins, beats put in by hand, what was made steady, and holds stay.

    Args:
        beat_map: the map.
        amount: 0 for what was read, 1 for bends of no less than about 25 beats.
    """
    moments = smoothed_s(beat_map, amount)
    fresh = tuple(replace(b, time_s=t) for b, t in zip(beat_map.beats, moments.tolist(), strict=True))
    return check_map(replace(beat_map, smoothing=amount, beats=fresh))


def smoothed_s(beat_map: BeatMap, amount: float) -> NDArray[np.float64]:
    """Where the beats of a map lie by an amount of smoothing (s), (beats,).

    Between what is set the moments are found that lie near what was read and bend as little as the
    amount asks for: penalised least squares over third differences (Whittaker, 1923), so that a
    tempo that slows evenly stays as it is.
    """
    from scipy.linalg import solveh_banded

    beats = beat_map.beats
    count = len(beats)
    fixed = np.array([b.pinned or b.steady for b in beats])
    read_s = np.array([b.time_s if b.heard_s is None or f else b.heard_s for b, f in zip(beats, fixed, strict=True)])
    read_s = _in_order(read_s, times_of(beat_map), fixed)
    moments = read_s.copy()
    if amount > 0 and count >= 5:
        # Where nothing was heard to begin, nothing holds a beat against the tempo.
        held = [WEAKEST if b.heard_s is None else max(b.confidence, WEAKEST) for b in beats]
        weight = np.array(held) + SET_WEIGHT * fixed
        stiff = np.full(count - 3, STIFFEST * amount**2)
        for hold in beat_map.holds:
            # The tempo may break at a hold: bends across it cost nothing.
            stiff[max(hold.beat - 2, 0) : hold.beat + 1] = 0.0
        bands = np.zeros((4, count))
        bands[3] = weight
        for a, b in itertools.product(range(4), range(4)):
            if b >= a:
                bands[3 - (b - a), b : b + count - 3] += stiff * THIRD_DIFFERENCE[a] * THIRD_DIFFERENCE[b]
        # Solved for what differs from a straight line, so that large weights cost no precision.
        line = np.linspace(read_s[0], read_s[-1], count)
        moments = np.where(fixed, read_s, line + solveh_banded(bands, weight * (read_s - line)))
        moments = _in_order(moments, read_s, fixed)
    for onset in beat_map.between:
        if onset.pinned:
            before, after = onset.beat, onset.beat + 1
            moments[before] = min(moments[before], onset.time_s - SHORTEST_BEAT_S * onset.share)
            moments[after] = max(moments[after], onset.time_s + SHORTEST_BEAT_S * (1 - onset.share))
    return moments


def _in_order(
    moments: NDArray[np.float64], otherwise: NDArray[np.float64], fixed: NDArray[np.bool_]
) -> NDArray[np.float64]:
    """The moments, or others from one that is fixed to the next where these would cross."""
    told = moments.copy()
    ends = [0, *np.flatnonzero(fixed).tolist(), len(moments) - 1]
    for first, last in pairwise(ends):
        if np.any(np.diff(moments[first : last + 1]) < SHORTEST_BEAT_S):
            told[first : last + 1] = otherwise[first : last + 1]
    return told
