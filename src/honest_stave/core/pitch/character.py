"""Is the line struck or plucked, or sung, bowed or blown? And how freely does it move?"""

import numpy as np
from scipy import ndimage

from honest_stave.core.pitch.reading import Character
from honest_stave.core.pitch.salience import HOP_S
from honest_stave.core.pitch.track import Track

# Median slope of the level while it sounds: strings and bars die away, breath does not.
DYING_DB_S = -6.0
SURE_WITHIN_DB_S = 4.0
# Frames this far under the loudest do not count.
LOUD_RANGE_DB = 40.0
WANDER_WINDOW_S = 0.29


def wander_semitones(track: Track) -> float:
    """How far the line strays from its running median, 70th percentile, in semitones.

    Keyed instruments stay under 0.06; a voice reaches 0.12 and more.
    """
    pitch = track.pitch.astype(np.float64)
    voiced = ~np.isnan(pitch)
    if voiced.sum() < 8:
        return 0.0
    line = np.interp(np.arange(len(pitch)), np.flatnonzero(voiced), pitch[voiced])
    window = round(WANDER_WINDOW_S / HOP_S) // 2 * 2 + 1
    strayed = np.abs(line - ndimage.median_filter(line, window))[voiced]
    inside = strayed[strayed < 1.0]
    return float(np.percentile(inside, 70)) if len(inside) else 0.0


def judge_character(track: Track) -> tuple[Character, float]:
    """The character and how sure it is (0.5 to 1)."""
    level = ndimage.uniform_filter1d(track.level_db.astype(np.float64), 5)
    sounding = (level > level.max(initial=-120.0) - LOUD_RANGE_DB) & ~np.isnan(track.pitch)
    if sounding.sum() < 8:
        return "sustained", 0.5
    slope = float(np.median((np.gradient(level) / HOP_S)[sounding]))
    sure = 1.0 / (1.0 + np.exp(-abs(slope - DYING_DB_S) / SURE_WITHIN_DB_S))
    return ("struck" if slope < DYING_DB_S else "sustained"), float(sure)
