"""Three moments of a sung or blown note: its noise begins, its pitch stands, it is let go."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.pitch.activity import CELL_S, FIRST_CELL_S, LOWEST_PITCH, Activity

Values = NDArray[np.float64]

# A consonant begins at most so long before its pitch; the level must rise by so much out of what was before.
LONGEST_NOISE_S, RISE_DB = 0.35, 6.0
# The pitch stands once it is heard this surely over so many cells.
STANDS_AT, STANDS_CELLS = 0.5, 3
# How far after the written end a release is looked for.
LATE_S = 1.0


def cell_levels_db(short_db: NDArray[np.floating], cells: int) -> Values:
    """The loudest level of each cell in dB, (cells,).

    Args:
        short_db: levels of bands, (frames, bands).
        cells: how many of them there are.
    """
    return np.asarray(short_db.astype(np.float64).reshape(cells, -1).max(axis=1))


def three_moments(
    activity: Activity, level_db: Values, starts_s: float, notes: Sequence[tuple[float, float, int]]
) -> Values:
    """Moments (s) of each note, (notes, 3), NaN where nothing was found.

    Args:
        activity: what the ears hear.
        level_db: level by cell, (cells,).
        starts_s: moment of the first cell's beginning.
        notes: (onset s, offset s, MIDI pitch) as aligned.
    """
    cells = len(level_db)
    found = np.full((len(notes), 3), np.nan)
    for row, (onset_s, offset_s, pitch) in enumerate(notes):
        column = pitch - LOWEST_PITCH
        if not 0 <= column < activity.sounding.shape[1]:
            continue
        sounding = activity.sounding[:, column].astype(np.float64)

        def cell_of(time_s: float) -> int:
            return int(np.clip(round((time_s - starts_s - FIRST_CELL_S) / CELL_S), 0, cells - 1))

        first, last = cell_of(onset_s - 0.1), cell_of(offset_s)
        heard = sounding[first : last + 1] >= STANDS_AT
        runs = np.flatnonzero(np.convolve(heard, np.ones(STANDS_CELLS), "valid") >= STANDS_CELLS)
        if not len(runs):
            continue
        stands = first + int(runs[0])
        found[row, 1] = starts_s + FIRST_CELL_S + stands * CELL_S
        before = level_db[max(0, stands - round(LONGEST_NOISE_S / CELL_S)) : stands + 1]
        quiet = int(before.argmin())
        rises = np.flatnonzero(before[quiet:] >= before[quiet] + RISE_DB)
        if len(rises):
            found[row, 0] = starts_s + FIRST_CELL_S + (stands - len(before) + 1 + quiet + int(rises[0])) * CELL_S
        after = sounding[stands : cell_of(offset_s + LATE_S) + 1] < STANDS_AT
        ends = np.flatnonzero(after)
        if len(ends):
            found[row, 2] = starts_s + FIRST_CELL_S + (stands + int(ends[0])) * CELL_S
    return found
