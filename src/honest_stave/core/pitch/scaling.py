"""Levels as the network for notes expects them: relative to how loud the recording is."""

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.signal.measure import level_reached

Levels = NDArray[np.float32]

# Share of the frames that are softer than the reference: loud, but not the one loudest stroke.
REFERENCE_SHARE = 0.95
# Levels this far below the reference are 0 to the network; one unit is ``UNIT_DB``.
SILENCE_BELOW_DB = 80.0
UNIT_DB = 30.0


def reference_level_db(long_db: Levels) -> float:
    """Level of the loudest band in loud frames, in whole decibels, so that parts of a take agree.

    Args:
        long_db: levels (frames, bands).
    """
    return float(np.round(level_reached(long_db.max(axis=1), REFERENCE_SHARE)))


def scaled(below_reference_db: Levels) -> Levels:
    """Levels against the reference as numbers from 0 (silence) to about 3."""
    return np.asarray(np.maximum(below_reference_db + SILENCE_BELOW_DB, 0) / UNIT_DB, np.float32)
