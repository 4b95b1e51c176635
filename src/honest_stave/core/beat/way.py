"""The way of written onsets between two that are known: where most is heard to begin, as evenly as that allows.

Found by dynamic programming over cells (Viterbi 1967).
"""

import numpy as np
from numpy.typing import NDArray

Values = NDArray[np.float64]

# Onsets heard less than this, as a share of the pitches that should begin, say nothing of the moment.
LEAST_HEARD = 0.15
# A step from onset to onset at twice or half the pace costs this share of a clear onset; it is no quicker or slower
# than so many times that pace.
BENT_COST, MOST_BENT = 0.15, 4.0
# Where the players may pause, a longer step costs no more than this.
PAUSE_COST = 0.2
# For pauses so many steps are looked at for each onset: any within a minute, within three minutes those of 20 s.
MOST_LOOKED_AT = 7_000_000


def way_between(
    heard: Values, beats: Values, ends: tuple[float, float], quarter_cells: float | None = None
) -> tuple[Values, Values]:
    """Cells of onsets between two that are known, with fractions, and how clearly each is heard, (onsets,) each.

    Args:
        heard: how clearly each onset is heard in each cell, (onsets, cells).
        beats: positions of the first known one, of the onsets and of the second known one, (onsets + 2,).
        ends: cells of the known ones.
        quarter_cells: the usual length of a quarter, where players may pause; none for what the ends imply.
    """
    # A beat may lie before the recording begins.
    cells = np.arange(max(int(np.floor(ends[0])) + 1, 0), min(int(np.ceil(ends[1])), heard.shape[1]))
    even = np.interp(beats[1:-1], beats[[0, -1]], ends)
    if len(cells) < len(heard):
        return even, np.zeros(len(heard))
    pauses = quarter_cells is not None
    pace = quarter_cells or (ends[1] - ends[0]) / float(beats[-1] - beats[0])
    expected = np.maximum(np.diff(beats) * pace, 0.5)
    best = heard[0, cells] - _bent(cells - ends[0], expected[0], pauses)
    came = []
    for row in range(1, len(heard)):
        longest = max(int(MOST_BENT * expected[row]), MOST_LOOKED_AT // len(cells) if pauses else 2)
        steps = np.arange(1, min(longest, len(cells)) + 1)
        cost = _bent(steps.astype(float), expected[row], pauses)
        before = np.full((len(steps), len(cells)), -np.inf)
        for i, step in enumerate(steps.tolist()):
            before[i, step:] = best[: max(len(cells) - step, 0)] - cost[i]
        came.append(steps[before.argmax(axis=0)])
        best = before.max(axis=0) + heard[row, cells]
    last = best - _bent(ends[1] - cells, expected[-1], pauses)
    if not np.isfinite(last.max()):
        return even, np.zeros(len(heard))
    path = [int(last.argmax())]
    for steps_back in reversed(came):
        path.append(path[-1] - int(steps_back[path[-1]]))
    at = cells[path[::-1]]
    rows = np.arange(len(heard))
    clear = np.clip(heard[rows, at], 0, 1)
    left, right = heard[rows, np.maximum(at - 1, 0)], heard[rows, np.minimum(at + 1, heard.shape[1] - 1)]
    fraction = np.clip((right - left) / np.maximum(left + right, 0.3 * np.maximum(clear, 1e-6)), -0.5, 0.5)
    cell = at + np.where(clear >= LEAST_HEARD, fraction, 0.0)
    # What is not heard lies between its neighbours as it is written.
    known = np.concatenate([[True], clear >= LEAST_HEARD, [True]])
    whole = np.concatenate([[ends[0]], cell, [ends[1]]])
    return np.interp(beats[1:-1], beats[known], whole[known]), clear


def _bent(steps: Values, expected: float, pauses: bool) -> Values:
    """What steps of so many cells cost where another number is expected; nothing leads backwards or much too far."""
    octaves = np.log2(np.maximum(steps, 1e-3) / expected)
    cost = np.where(octaves <= np.log2(MOST_BENT), BENT_COST * octaves**2, np.inf)
    if pauses:
        cost = np.where(octaves > 0, np.minimum(cost, PAUSE_COST), cost)
    return np.where(steps > 0, cost, np.inf)
