"""On which beats something begins: one may lie where nobody plays, but not before the music or after it."""

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.beat.heard import HIT_COLUMN, ZONES, Heard
from honest_stave.core.pitch.activity import CELL_S, FIRST_CELL_S

Values = NDArray[np.floating]

# Within two cells, 46 ms, a beginning is one with the beat.
REACH_CELLS = 2
# Less than this is no beginning. Of 758 beats of the practice recordings those after the last note have .23 and less;
# of the others, nearly all of which are right, 11 have less than .3, on which nothing is struck. Of 31 beats before
# the first beginning of 180 clips held out 23 are wrong, of 480 between others 52.
LEAST_BEGUN = 0.3


def begun_by_cell(heard: Heard) -> NDArray[np.float32]:
    """How likely something begins, a note or a stroke on a drum, (cells,), from 0."""
    notes = heard.columns[:, :ZONES].sum(axis=1)
    return np.asarray(np.maximum(notes, heard.columns[:, HIT_COLUMN]))


def begins_at(begun: NDArray[np.float32], time_s: NDArray[np.float64]) -> NDArray[np.bool_]:
    """Whether something begins at each moment.

    Args:
        begun: by cell, as from ``begun_by_cell``, at least one.
        time_s: from the beginning of the first cell, (moments,).
    """
    cell = np.round((time_s - FIRST_CELL_S) / CELL_S).astype(int)[:, None]
    near = np.clip(cell + np.arange(-REACH_CELLS, REACH_CELLS + 1), 0, len(begun) - 1)
    return np.asarray(begun[near].max(axis=1) >= LEAST_BEGUN)


def played(begins: NDArray[np.bool_], fewest: int) -> slice:
    """The beats from the first to the last one on which something begins; all where these are not ``fewest``."""
    found = np.flatnonzero(begins)
    inside = slice(int(found[0]), int(found[-1]) + 1) if len(found) else slice(0, 0)
    return inside if inside.stop - inside.start >= fewest else slice(0, len(begins))
