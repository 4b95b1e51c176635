"""What is stressed on each beat: long notes, low ones and hard ones tell where a bar begins."""

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float32]
Values = NDArray[np.float64]

# Notes this near to a beat begin on it: in cells, or as a share of the beat.
ON_BEAT_CELLS, ON_BEAT_SHARE = 2.0, 0.1
# Told apart between an eighth of a beat and eight of them; a beat without notes counts as one with short ones.
MOST_OCTAVES = 3.0
# A note that begins within a beat sounds over the next one when it does so for this share of a beat.
TIED_SHARE = 0.25
# Beats to either side that say what is usual.
BESIDE = 8


def stresses(notes: Floats, place: Values, step: Values) -> Values:
    """What begins on each beat: how much, how long it sounds, how low, high and hard beside its neighbours.

    Args:
        notes: what begins, as in ``Heard``.
        place: cells of the beats, rising, at least two.
        step: cells from each beat to the next.

    Returns:
        (beats, 10), the same whatever key the music is in and however loud it is as a whole.
    """
    beats = len(place)
    cell, pitch, held, sure, hard = notes.T.astype(np.float64)
    nearest = np.clip(np.searchsorted(place, cell), 1, beats - 1)
    nearest -= cell - place[nearest - 1] < place[nearest] - cell
    on = np.abs(cell - place[nearest]) < np.maximum(ON_BEAT_CELLS, ON_BEAT_SHARE * step[nearest])
    within = np.clip(np.searchsorted(place, cell, side="right") - 1, 0, beats - 1)
    following = place[np.minimum(within + 1, beats - 1)]
    over = ~on & (cell + held > following + step[within] * TIED_SHARE)
    begun = np.bincount(nearest[on], sure[on], beats)
    empty = begun < 1e-6

    def mean(values: Values, chosen: NDArray[np.bool_], without: float) -> Values:
        """Mean over the chosen notes of each beat, by how sure they are."""
        weighed = np.bincount(nearest[chosen], (sure * values)[chosen], beats)
        weight = np.bincount(nearest[chosen], sure[chosen], beats)
        return np.where(empty, without, weighed / np.maximum(weight, 1e-6))

    lowest, highest, longest = np.full(beats, np.inf), np.full(beats, -np.inf), np.full(beats, -MOST_OCTAVES)
    octaves = np.clip(np.log2(np.maximum(held, 1) / step[nearest]), -MOST_OCTAVES, MOST_OCTAVES)
    np.minimum.at(lowest, nearest[on], pitch[on])
    np.maximum.at(highest, nearest[on], pitch[on])
    np.maximum.at(longest, nearest[on], octaves[on])
    values = (
        np.log1p(begun),
        mean(octaves, on, -MOST_OCTAVES),
        longest,
        mean(octaves, on & (pitch == lowest[nearest]), -MOST_OCTAVES),
        mean(octaves, on & (pitch == highest[nearest]), -MOST_OCTAVES),
        _beside(np.where(empty, np.nan, lowest)) / 12,
        _beside(np.where(empty, np.nan, highest)) / 12,
        _beside(mean(hard, on, np.nan)) * 4,
        np.log1p(np.bincount(within, sure, beats)),
        np.log1p(np.bincount(within[over], sure[over], beats)),
    )
    return np.stack(values, axis=1)


def _beside(values: Values) -> Values:
    """Values less their mean over the beats to either side, 0 where there is none, (beats,)."""
    known = ~np.isnan(values)

    def gathered(row: Values) -> Values:
        return np.asarray(np.convolve(np.pad(row, BESIDE), np.ones(2 * BESIDE + 1), mode="valid"))

    mean = gathered(np.where(known, values, 0.0)) / np.maximum(gathered(known.astype(float)), 1)
    return np.where(known, values - mean, 0.0)
