"""What the network for notes says of every pitch at every moment."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.pitch.bands import HOP_SAMPLES
from honest_stave.core.signal.listen import ANALYSIS_RATE

FRAMES_PER_CELL = 2
CELL_S = FRAMES_PER_CELL * HOP_SAMPLES / ANALYSIS_RATE
# Middle of the first cell: halfway between its two frames.
FIRST_CELL_S = 0.5 * HOP_SAMPLES / ANALYSIS_RATE
LOWEST_PITCH = 21
PITCHES = 88

Shares = NDArray[np.floating]


@dataclass(frozen=True)
class Activity:
    """Probabilities (cells, 88) from A0 up; cell i lies at ``FIRST_CELL_S`` + i * ``CELL_S``.

    Args:
        onset: a note begins here.
        sounding: a note sounds here.
        offset: a note ends here.
        velocity: how hard a note that begins here was struck, 0 to 1.
    """

    onset: Shares
    sounding: Shares
    offset: Shares
    velocity: Shares


def time_of_cell(cell: NDArray[np.float64]) -> NDArray[np.float64]:
    """Moment (s) of a cell or a fraction between cells."""
    return FIRST_CELL_S + cell * CELL_S
