"""Drums' strokes among strikes: they begin over the whole range at once and hardly sound on."""

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.pitch.activity import FRAMES_PER_CELL
from honest_stave.core.pitch.kind_measures import DEPTH_DB, RISE_DB, RISE_FRAMES
from honest_stave.core.pitch.strikes import Strikes

# Share of the short bands that a drum lifts; a note that sounds on this surely is one all the same.
LIFTED_SHARE, SOUNDING_ON = 0.55, 0.6
SHORT_S = 0.14


def drum_strokes(strikes: Strikes, short_db: NDArray[np.floating]) -> NDArray[np.bool_]:
    """Which strikes are more likely a drum's than a note's, (strikes,).

    Args:
        strikes: what was found.
        short_db: levels of the short bands, (frames, bands).
    """
    levels = np.maximum(short_db.astype(np.float32), float(short_db.max(initial=0.0)) - DEPTH_DB)
    rise = np.zeros(len(levels))
    if len(levels) > RISE_FRAMES:
        rise[RISE_FRAMES:] = (levels[RISE_FRAMES:] - levels[:-RISE_FRAMES] > RISE_DB).mean(axis=1)
    frames = np.clip(FRAMES_PER_CELL * strikes.cell[:, None] + np.arange(-2, 6), 0, max(len(levels) - 1, 0))
    lifted = rise[frames].max(axis=1, initial=0.0)
    short = (strikes.sounding < SOUNDING_ON) | (strikes.held_s < SHORT_S)
    return np.asarray((lifted > LIFTED_SHARE) & short)
