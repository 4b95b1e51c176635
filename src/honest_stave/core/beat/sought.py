"""Onsets of a score that are not heard near where the way through it has them, looked for between their neighbours.

Before and after a pause that the score does not write the way says little: it stretches the silence over what is
written around it, so that the last onset before comes late and the first one after comes early, by seconds.
"""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.beat.way import LEAST_HEARD, way_between

Values = NDArray[np.float64]

# Farther off, an onset must be heard so clearly, of no more than so many in a row that are not heard nearby, and lie
# so near to where the usual pace has it.
CLEARLY_HEARD, MOST_SOUGHT, PACE_BEATS = 0.4, 4, 0.5
# With so many on both sides they are looked for once more, and lie elsewhere where they are clearer by this together.
BESIDE, CLEARER = 2, 0.25
# Over so many cells at most, a minute: every way through them is looked at.
MOST_CELLS = 2600


def sought(
    beats: Values, rows: Sequence[Sequence[int]], onset: NDArray[np.float32], moment: Values, clear: Values
) -> tuple[Values, Values]:
    """Moments of written onsets, and how clearly they are heard, after another look for those that were not.

    Args:
        beats: positions in quarters, (onsets,), rising.
        rows: which pitches begin at each.
        onset: how clearly each pitch begins in each cell, (cells, pitches).
        moment: where each onset was looked for and found, in cells, (onsets,).
        clear: how clearly it is heard there, (onsets,).
    """
    known = np.flatnonzero(clear >= LEAST_HEARD)
    if len(known) < 2:
        return moment, clear
    moment, clear = moment.copy(), clear.copy()
    quarter_cells = float(np.median(np.diff(moment[known]) / np.diff(beats[known])))
    for first, stop in _runs(clear < LEAST_HEARD):
        from_cell = int(moment[first - 1]) + 1 if first else 0
        to_cell = int(np.ceil(moment[stop])) if stop < len(beats) else len(onset)
        if stop - first > MOST_SOUGHT or to_cell - from_cell < stop - first:
            continue
        window = np.arange(from_cell, to_cell)
        heard = np.array([onset[window][:, each].mean(axis=1, dtype=np.float64) for each in rows[first:stop]])
        # A pause lies before or after them: seen from one side they come at the usual pace.
        likely = np.zeros(heard.shape, bool)
        for side in (first - 1, stop):
            if 0 <= side < len(beats):
                there = moment[side] + (beats[first:stop, None] - beats[side]) * quarter_cells
                likely |= np.abs(window - there) <= PACE_BEATS * quarter_cells
        for row, at in _in_order(np.where(likely & (heard >= CLEARLY_HEARD), heard, 0.0)):
            moment[first + row], clear[first + row] = window[at], heard[row, at]
    for first, stop in _runs(clear < LEAST_HEARD):
        # What begins beside a pause may have been taken for what begins after it: both are looked for together.
        low, high = first - 1 - BESIDE, stop + BESIDE
        if low < 0 or high >= len(beats) or stop - first > MOST_SOUGHT:
            continue
        inside, from_cell, to_cell = slice(low + 1, high), int(moment[low]), int(np.ceil(moment[high])) + 1
        if to_cell - from_cell > MOST_CELLS:
            continue
        stretch = onset[from_cell:to_cell]
        heard = np.array([stretch[:, each].mean(axis=1, dtype=np.float64) for each in rows[inside]])
        ends = float(moment[low]) - from_cell, float(moment[high]) - from_cell
        cell, found = way_between(heard, beats[low : high + 1], ends, quarter_cells)
        if found.sum() > clear[inside].sum() + CLEARER:
            moment[inside], clear[inside] = from_cell + cell, found
    return moment, clear


def _runs(chosen: NDArray[np.bool_]) -> list[tuple[int, int]]:
    """First and one past the last of each run of chosen ones."""
    edges = np.flatnonzero(np.diff(np.concatenate([[0], chosen.astype(int), [0]])))
    return list(zip(edges[::2].tolist(), edges[1::2].tolist(), strict=True))


def _in_order(gain: Values) -> list[tuple[int, int]]:
    """Onsets with their cells, so that as much as possible is heard in their order; those that gain nothing are left.

    Args:
        gain: what each onset would gain in each cell, (onsets, cells).
    """
    best = np.zeros((len(gain) + 1, gain.shape[1] + 1))
    for row, here in enumerate(gain):
        # Either the onset lies in this cell, and those before it in earlier ones, or it lies nowhere.
        best[row + 1, 1:] = np.maximum(np.maximum.accumulate(best[row, :-1] + here), best[row, 1:])
    found: list[tuple[int, int]] = []
    stop = gain.shape[1]
    for row in range(len(gain) - 1, -1, -1):
        if best[row + 1, stop] > best[row, stop]:
            stop = int((best[row, :stop] + gain[row, :stop]).argmax())
            found.append((row, stop))
    return found[::-1]
