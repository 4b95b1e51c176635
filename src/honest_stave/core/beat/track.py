"""Beats from strengths: the likeliest row of moments whose distances change slowly.

A semi-Markov search by dynamic programming over moments and beat lengths, after Ellis (2007),
with the length of the beat as a state of its own (Whiteley, Cemgil and Godsill 2006).
"""

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.pitch.activity import CELL_S, time_of_cell

Values = NDArray[np.float64]

SHORTEST_S, LONGEST_S, LENGTHS = 0.28, 1.55, 60
# A beat as long as the usual one is likeliest; spread in octaves.
USUAL_S, SPREAD_OCTAVES, USUAL_WEIGHT = 0.58, 0.8, 0.35
# A change of length by a tenth from one beat to the next costs this much of a beat's strength.
CHANGE_COST = 45.0
# What is struck halfway between beats speaks against them, less than on them.
BETWEEN_WEIGHT = 0.35
# What is struck at thirds of a beat where nothing is struck at its half: beats in three are rarer than in two.
THIRDS_WEIGHT = 0.35
# A beat on which nothing begins still counts this much against none: music goes on over rests.
MISSING = -0.25
# A second of sounding music before the first beat, or after the last.
LATE_COST = 0.5


def track_beats(strength: Values) -> tuple[Values, Values]:
    """Moments of beats (s) and how sure each is, 0 to 1; empty where nothing begins.

    Args:
        strength: about 1 where something clearly begins, (cells,).
    """
    cells = len(strength)
    sounding = np.flatnonzero(strength > 0.2)
    if len(sounding) < 4:
        return np.zeros(0), np.zeros(0)
    wide = np.maximum(strength, 0.7 * np.maximum(np.append(0, strength[:-1]), np.append(strength[1:], 0)))
    lengths = np.unique(np.round(np.geomspace(SHORTEST_S, LONGEST_S, LENGTHS) / CELL_S).astype(int))
    usual = -0.5 * (np.log2(lengths * CELL_S / USUAL_S) / SPREAD_OCTAVES) ** 2
    ratio = np.log(lengths[:, None] / lengths[None])
    change = CHANGE_COST * ratio**2
    first, last = int(sounding[0]), int(sounding[-1])
    total = np.full((cells, len(lengths)), -np.inf)
    came = np.full((cells, len(lengths)), -1)
    on = np.minimum(wide, 1.2)
    gain = np.empty((cells, len(lengths)))
    for k, length in enumerate(lengths.tolist()):
        half, *thirds = (_before(on, round(length * share)) for share in (1 / 2, 1 / 3, 2 / 3))
        triple = np.maximum(*thirds) - 0.5 * half
        worth = on - BETWEEN_WEIGHT * half - THIRDS_WEIGHT * np.maximum(triple, 0.0)
        worth += np.where(on < 0.1, MISSING, 0.0) + USUAL_WEIGHT * usual[k]
        # Beats count by the time they cover, so that short ones are not favoured for being many.
        gain[:, k] = worth * length * CELL_S
    rows = np.arange(len(lengths))
    for cell in range(first, cells):
        earlier = cell - lengths
        starts = -LATE_COST * (cell - first) * CELL_S
        known = total[np.maximum(earlier, 0), :].copy()
        known[earlier < first] = -np.inf
        options = known - change * (lengths * CELL_S)[:, None]
        best = options.argmax(axis=1)
        value = options[rows, best]
        fresh = value < starts
        total[cell] = np.where(fresh, starts, value) + gain[cell]
        came[cell] = np.where(fresh, -1, best)
    tail = np.arange(max(last - int(lengths[-1]), first), min(last + 3, cells))
    ends = total[tail] - LATE_COST * ((last - tail) * CELL_S)[:, None]
    cell, k = (int(i) for i in np.unravel_index(ends.argmax(), ends.shape))
    cell = int(tail[cell])
    chosen = []
    while cell >= 0:
        chosen.append(cell)
        before = came[cell, k]
        if before < 0:
            break
        cell, k = cell - int(lengths[k]), int(before)
    beats = np.array(chosen[::-1])
    return _centred(strength, beats), np.clip(wide[beats], 0.02, 0.98)


def _before(on: Values, lag: int) -> Values:
    """The strength so many cells before each, nothing before the beginning."""
    return np.concatenate([np.zeros(lag), on[: len(on) - lag]])


def _centred(strength: Values, beats: NDArray[np.int64]) -> Values:
    """Moments between cells: the centre of the strength around each beat."""
    near = np.clip(beats[:, None] + np.arange(-2, 3), 0, len(strength) - 1)
    weight = strength[near] ** 2 + 1e-4 * np.array([0, 1, 4, 1, 0])
    return time_of_cell((near * weight).sum(axis=1) / weight.sum(axis=1))
