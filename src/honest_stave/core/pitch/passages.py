"""What the passage round a strike says of it: which pitches always come together, how clear onsets are.

An organ's octave stop, a harp's strong partial or the blur of a choir shows over a whole
passage, not in one note. Passages are parted by silence, so that cutting a recording there
changes nothing.
"""

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.pitch.activity import CELL_S, Activity
from honest_stave.core.pitch.strikes import Strikes

Values = NDArray[np.float64]

# Semitones above a note at which a companion may be one of its partials, a stop, or a chord's note.
COMPANION_STEPS = (7, 12, 19, 24, 28)
TOGETHER_CELLS = 2
# Where no pitch sounds this much for this long, a passage ends.
SILENT_BELOW = 0.2
SILENCE_S = 1.0
# Log-odds beyond this say no more.
MOST_LOG_ODDS = 8.0
# How fast the weight of the strike before or after on the same pitch is forgotten.
FORGOTTEN_S = 0.15
PITCH_KEYS = 256


def passage_of(cell: NDArray[np.int64], activity: Activity) -> NDArray[np.int64]:
    """Number of the passage in which each of ``cell`` lies, (strikes,)."""
    heard = np.flatnonzero(activity.sounding.max(axis=1) > SILENT_BELOW)
    # A passage begins in the silence before it: its first strike peaks before its pitch sounds.
    starts = heard[1:][np.diff(heard) > SILENCE_S / CELL_S] - round(SILENCE_S / CELL_S / 2)
    return np.searchsorted(starts, cell, side="right")


def passage_mean(passage: NDArray[np.int64], weight: Values, values: Values) -> Values:
    """Weighted mean of ``values`` over each one's passage, (strikes,)."""
    total = np.bincount(passage, weight)
    return np.asarray((np.bincount(passage, weight * values) / np.maximum(total, 1e-6))[passage])


def weight_of(score: Values) -> Values:
    """How much a strike of these log-odds counts, 0 to 1."""
    return np.asarray(1 / (1 + np.exp(-np.clip(score, -MOST_LOG_ODDS, MOST_LOG_ODDS))))


def surroundings(strikes: Strikes, passage: NDArray[np.int64], own: list[Values], score: Values) -> Values:
    """Inputs of the second weighing, (strikes, measures).

    Args:
        strikes: what was found, in order of time.
        passage: of each strike.
        own: measures of the strikes whose means tell what a passage is like.
        score: log-odds of the first weighing.
    """
    weight = weight_of(score)
    cell = strikes.cell
    before = np.searchsorted(cell, cell - TOGETHER_CELLS, side="left")
    after = np.searchsorted(cell, cell + TOGETHER_CELLS, side="right")
    summed = np.append(0.0, np.cumsum(weight))
    others = np.log1p(np.maximum(summed[after] - summed[before] - weight, 0.0))
    columns = [np.clip(score, -MOST_LOG_ODDS, MOST_LOG_ODDS), others]
    for step in COMPANION_STEPS:
        above, below = _companion(strikes, weight, step), _companion(strikes, weight, -step)
        usual = passage_mean(passage, weight, above)
        columns += [above, below, usual, usual * below]
    columns += [passage_mean(passage, weight, values) for values in (*own, others)]
    count = np.bincount(passage)
    columns.append(np.log((np.bincount(passage, weight) + 1) / (count + 1))[passage])
    return np.column_stack([*columns, *_neighbours(strikes, weight)])


def _companion(strikes: Strikes, weight: Values, step: int) -> Values:
    """Weight of the strike ``step`` semitones away at about the same moment, 0 where there is none."""
    key = strikes.cell * PITCH_KEYS + strikes.pitch
    order = np.argsort(key, kind="stable")
    known = key[order]
    found = np.zeros(len(key))
    for lag in range(-TOGETHER_CELLS, TOGETHER_CELLS + 1):
        wanted = key + lag * PITCH_KEYS + step
        place = np.minimum(np.searchsorted(known, wanted), len(known) - 1)
        found = np.maximum(found, np.where(known[place] == wanted, weight[order[place]], 0.0))
    return found


def _neighbours(strikes: Strikes, weight: Values) -> list[Values]:
    """Weights of the strikes just before and just after on the same pitch."""
    order = np.lexsort((strikes.onset_s, strikes.pitch))
    pitch, onset_s = strikes.pitch[order], strikes.onset_s[order]
    near = np.where(np.diff(pitch) == 0, np.exp(-np.maximum(np.diff(onset_s), 0.0) / FORGOTTEN_S), 0.0)
    earlier, later = np.zeros(len(order)), np.zeros(len(order))
    earlier[order[1:]] = near * weight[order[:-1]]
    later[order[:-1]] = near * weight[order[1:]]
    return [earlier, later]
