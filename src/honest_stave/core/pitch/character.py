"""Is it struck or plucked, or sung, bowed or blown?"""

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.pitch.reading import Character

# Median slope of the level while it sounds: strings and bars die away, breath does not.
DYING_DB_S = -6.0
SURE_WITHIN_DB_S = 4.0
# Frames this far under the loudest do not count.
LOUD_RANGE_DB = 40.0
SMOOTHED_FRAMES = 5


def judge_character(level_db: NDArray[np.float32], hop_s: float) -> tuple[Character, float]:
    """The character and how sure it is (0.5 to 1).

    Args:
        level_db: level of each frame, (frames,).
        hop_s: from frame to frame.
    """
    if len(level_db) < 4 * SMOOTHED_FRAMES:
        return "sustained", 0.5
    level = np.convolve(level_db.astype(np.float64), np.ones(SMOOTHED_FRAMES) / SMOOTHED_FRAMES, mode="same")
    sounding = level > level.max() - LOUD_RANGE_DB
    slope = float(np.median((np.gradient(level) / hop_s)[sounding]))
    sure = 1.0 / (1.0 + np.exp(-abs(slope - DYING_DB_S) / SURE_WITHIN_DB_S))
    return ("struck" if slope < DYING_DB_S else "sustained"), float(sure)
