"""Passages, parted by silence: what is weighed together, so that cutting a recording there changes nothing."""

import itertools
from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.pitch.activity import CELL_S, Activity

Values = NDArray[np.float64]

# Where no pitch sounds this much for this long, a passage ends.
SILENT_BELOW = 0.2
SILENCE_S = 1.0
# Strikes weighed together, and those to either side that they see; a long passage is weighed in stretches.
STRETCH_STRIKES, CONTEXT_STRIKES = 160, 48
# Log-odds beyond this say no more.
MOST_LOG_ODDS = 8.0


def passage_of(cell: NDArray[np.int64], activity: Activity) -> NDArray[np.int64]:
    """Number of the passage in which each of ``cell`` lies, (strikes,)."""
    heard = np.flatnonzero(activity.sounding.max(axis=1) > SILENT_BELOW)
    # A passage begins in the silence before it: its first strike peaks before its pitch sounds.
    starts = heard[1:][np.diff(heard) > SILENCE_S / CELL_S] - round(SILENCE_S / CELL_S / 2)
    return np.searchsorted(starts, cell, side="right")


def stretches(passage: NDArray[np.int64]) -> Iterator[tuple[slice, slice]]:
    """Strikes to weigh together, and those that they see: all of a passage, or of a long one the nearest.

    Args:
        passage: of each strike, in order of time.
    """
    borders = np.flatnonzero(np.diff(passage, prepend=-1, append=-1))
    for opens, closes in itertools.pairwise(borders.tolist()):
        for first in range(opens, closes, STRETCH_STRIKES):
            stop = min(first + STRETCH_STRIKES, closes)
            yield slice(first, stop), slice(max(first - CONTEXT_STRIKES, opens), min(stop + CONTEXT_STRIKES, closes))


def passage_mean(passage: NDArray[np.int64], weight: Values, values: Values) -> Values:
    """Weighted mean of ``values`` over each one's passage, (strikes,)."""
    total = np.bincount(passage, weight)
    return np.asarray((np.bincount(passage, weight * values) / np.maximum(total, 1e-6))[passage])


def weight_of(score: Values) -> Values:
    """How much a strike of these log-odds counts, 0 to 1."""
    return np.asarray(1 / (1 + np.exp(-np.clip(score, -MOST_LOG_ODDS, MOST_LOG_ODDS))))
