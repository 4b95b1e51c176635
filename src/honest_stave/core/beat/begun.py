"""On which beats something begins: one may lie where nobody plays, but not before the music or after it."""

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.pitch.activity import CELL_S, FIRST_CELL_S

Values = NDArray[np.float64]

# Within two cells, 46 ms, a beginning is one with the beat.
REACH_CELLS = 2
# Less than this is no beginning. Of 758 beats of the practice recordings those after the last note have .23 and less;
# of the others, nearly all of which are right, 11 have less than .3, on which nothing is struck. Of 31 beats before
# the first beginning of 180 clips held out 23 are wrong, of 480 between others 52.
LEAST_BEGUN = 0.3
# Of 9 beginnings that lie one beat after the last one of 380 clips held out and are as sure as this 7 are beats.
SURELY_BEGUN, LEAST_ODDS, LAST_BEATS = 0.95, -2.0, 5


def begins_at(begun: NDArray[np.float32], time_s: NDArray[np.float64]) -> NDArray[np.bool_]:
    """Whether something begins at each moment.

    Args:
        begun: how likely something begins by cell, as ``Heard`` has it, at least one.
        time_s: from the beginning of the first cell, (moments,).
    """
    cell = np.round((time_s - FIRST_CELL_S) / CELL_S).astype(int)[:, None]
    near = np.clip(cell + np.arange(-REACH_CELLS, REACH_CELLS + 1), 0, len(begun) - 1)
    return np.asarray(begun[near].max(axis=1) >= LEAST_BEGUN)


def up_to_last(beat_s: NDArray[np.float64], begun: NDArray[np.float32], odds: NDArray[np.floating]) -> Values:
    """The row with what follows its last beat after as long as its last beats last, where something surely begins.

    Args:
        beat_s: moments of beats, rising, at least two.
        begun: how likely something begins by cell.
        odds: log-odds of a beat by cell.
    """
    step_s = float(np.median(np.diff(beat_s[-LAST_BEATS:])))
    row = beat_s.tolist()
    while True:
        cell = round((row[-1] + step_s - FIRST_CELL_S) / CELL_S)
        near = np.arange(cell - REACH_CELLS, min(cell + REACH_CELLS + 1, len(begun)))
        if not len(near) or begun[near].max() < SURELY_BEGUN or odds[near].max() < LEAST_ODDS:
            return np.array(row)
        row.append(FIRST_CELL_S + CELL_S * float(near[begun[near].argmax()]))


def played(begins: NDArray[np.bool_], fewest: int) -> slice:
    """The beats from the first to the last one on which something begins; all where these are not ``fewest``."""
    found = np.flatnonzero(begins)
    inside = slice(int(found[0]), int(found[-1]) + 1) if len(found) else slice(0, 0)
    return inside if inside.stop - inside.start >= fewest else slice(0, len(begins))
