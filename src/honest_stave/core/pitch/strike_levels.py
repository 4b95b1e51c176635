"""Levels about each strike as its pitch sees them: semitone by semitone from below it to its high partials.

Whether a strike is a note, a partial or an echo, and how hard it was struck, shows in which partials
rise, by how much, and how each goes on. What begins and sounds at these pitches lies beside it.
"""

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.pitch.activity import FRAMES_PER_CELL, LOWEST_PITCH, Activity
from honest_stave.core.pitch.bands import BANDS_PER_SEMITONE, Bands
from honest_stave.core.pitch.scaling import scaled
from honest_stave.core.pitch.strikes import Strikes

# Semitones about a strike's pitch: an octave under it to its eighteenth partial.
LOWEST_STEP, STEPS = -13, 64
# Frames about a strike at which it is seen, in long and in short windows; cells at which others begin and sound.
LONG_FRAMES = (-14, -9, -5, -2, 1, 4, 7, 11, 16, 23)
SHORT_FRAMES = (-7, -5, -3, -2, -1, 0, 1, 2, 3, 4, 6, 9, 13, 18)
ONSET_CELLS, SOUNDING_CELLS = (-1, 0, 1), (-3, 2)
# Louder than this, 40 dB over the reference of a recording that is nearly silent, says no more.
LOUDEST = 4.0
# So many views are levels; those after them say what begins and what sounds.
LEVEL_VIEWS = len(LONG_FRAMES) + len(SHORT_FRAMES)


def levels_about(strikes: Strikes, bands: Bands, activity: Activity) -> NDArray[np.float32]:
    """What is seen about each strike, 0 for silence to ``LOUDEST``, (strikes, views, semitones).

    Args:
        strikes: what was found.
        bands, activity: where it was found.
    """
    low = strikes.pitch - LOWEST_PITCH + LOWEST_STEP
    frame, cell = FRAMES_PER_CELL * strikes.cell[:, None], strikes.cell[:, None]
    thirds = _seen(bands.long_db, frame + np.array(LONG_FRAMES), low, BANDS_PER_SEMITONE, -np.inf)
    # A semitone is as loud as the loudest of its bands: a string out of tune is no softer.
    long_db = np.maximum.reduce([thirds[:, :, third::BANDS_PER_SEMITONE] for third in range(BANDS_PER_SEMITONE)])
    short_db = _seen(bands.short_db, frame + np.array(SHORT_FRAMES), low, 1, -np.inf)
    levels = scaled(np.concatenate([long_db, short_db], axis=1) - np.float32(bands.reference_db))
    begins = _seen(activity.onset, cell + np.array(ONSET_CELLS), low, 1, 0.0)
    sounds = _seen(activity.sounding, cell + np.array(SOUNDING_CELLS), low, 1, 0.0)
    return np.concatenate([np.minimum(levels, LOUDEST), begins, sounds], axis=1)


def _seen(
    source: NDArray[np.floating], place: NDArray[np.int64], low: NDArray[np.int64], each: int, beyond: float
) -> NDArray[np.float32]:
    """Columns of a source about each strike, (strikes, places, ``each`` a semitone).

    Args:
        source: (moments, columns), ``each`` a semitone from the lowest pitch.
        place: moments, (strikes, places); those outside are the first and the last.
        low: first semitone that is seen, (strikes,).
        each: columns of a semitone.
        beyond: what is seen under the lowest and over the highest column.
    """
    below, width = -LOWEST_STEP * each, source.shape[1]
    rows = np.full((*place.shape, below + width + STEPS * each), beyond, source.dtype)
    rows[:, :, below : below + width] = source[np.clip(place, 0, len(source) - 1)]
    view = np.lib.stride_tricks.sliding_window_view(rows, STEPS * each, axis=2)
    return np.asarray(view[np.arange(len(low)), :, low * each + below], np.float32)
