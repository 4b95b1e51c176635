"""Do the notes of a line die away by themselves, or are they let go?

A plucked string that nobody damps says nothing of when its key was let go: its level falls
before the end of its sound as fast as after it. Where most notes of a line are like that,
their ends can only be judged.
"""

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.pitch.bands import BANDS_PER_SEMITONE, HOP_SAMPLES, LOWEST_PITCH
from honest_stave.core.pitch.strikes import Strikes
from honest_stave.core.signal.listen import ANALYSIS_RATE

# A reading with this share of such notes says that its ends are judged.
DYING_SHARE = 0.45
HOP_S = HOP_SAMPLES / ANALYSIS_RATE
# Frames before and after an end over which its slope is measured: 105 ms and 81 ms.
BEFORE_FRAMES, AFTER_FRAMES = 9, 7
# A fall before the end counts from 6 dB on, and when it is no slower than this share of the fall after it.
LEAST_FALL_DB = 6.0
AS_FAST = 0.75
# Semitones above a pitch at which its strongest partials lie.
PARTIAL_STEPS = (0, 12, 19)


def dying_share(notes: Strikes, end_s: NDArray[np.float64], long_db: NDArray[np.float32]) -> float:
    """Share of the notes that fall as fast before their end as after it, 0 where none can be judged.

    Args:
        notes: those that count, in order of time.
        end_s: ends of their sound, (notes,).
        long_db: levels of the long bands, (frames, bands).
    """
    following = np.append(notes.onset_s[1:], np.inf)
    end = np.round(end_s / HOP_S).astype(int)
    judged = (
        (end_s - notes.onset_s > BEFORE_FRAMES * HOP_S + 0.03)
        & (following - end_s > AFTER_FRAMES * HOP_S)
        & (end + AFTER_FRAMES < len(long_db))
    )
    if not judged.any():
        return 0.0
    level = _level_db(long_db, notes.pitch[judged], end[judged])
    before = _slope(level[:, :BEFORE_FRAMES])
    after = _slope(level[:, BEFORE_FRAMES:])
    dying = (before * BEFORE_FRAMES <= -LEAST_FALL_DB) & (before <= AS_FAST * np.minimum(after, 0.0))
    return float(dying.mean())


def _level_db(long_db: NDArray[np.float32], pitch: NDArray[np.int64], end: NDArray[np.int64]) -> NDArray[np.float64]:
    """Level of each note's strongest partial round its end, (notes, frames)."""
    frames = end[:, None] + np.arange(-BEFORE_FRAMES, AFTER_FRAMES)
    level = np.full(frames.shape, -np.inf)
    for step in PARTIAL_STEPS:
        band = np.minimum(BANDS_PER_SEMITONE * (pitch + step - LOWEST_PITCH) + 1, long_db.shape[1] - 1)
        level = np.maximum(level, long_db[frames, band[:, None]])
    return level


def _slope(level: NDArray[np.float64]) -> NDArray[np.float64]:
    """Slope of each row in dB a frame, by least squares."""
    place = np.arange(level.shape[1]) - (level.shape[1] - 1) / 2
    return np.asarray(level @ place / (place @ place))
