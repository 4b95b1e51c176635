"""Levels about each strike as its pitch sees them: semitone by semitone from below it to its high partials.

Whether a strike is a note, a partial or an echo, and how hard it was struck, shows in which partials
rise, by how much, and how each goes on. What begins and sounds at these pitches lies beside it.
"""

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.pitch.activity import FRAMES_PER_CELL, LOWEST_PITCH, PITCHES, Activity, Shares
from honest_stave.core.pitch.bands import BANDS_PER_SEMITONE, SEMITONES, Bands
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
    steps = strikes.pitch[:, None] - LOWEST_PITCH + LOWEST_STEP + np.arange(STEPS)
    inside = (steps >= 0) & (steps < SEMITONES)
    row = np.where(inside, steps, 0)[:, None]
    frame, last = FRAMES_PER_CELL * strikes.cell[:, None], len(bands.long_db) - 1
    long = np.clip(frame + np.array(LONG_FRAMES), 0, last)[:, :, None]
    short = np.clip(frame + np.array(SHORT_FRAMES), 0, last)[:, :, None]
    # A semitone is as loud as the loudest of its bands: a string out of tune is no softer.
    thirds = [bands.long_db[long, BANDS_PER_SEMITONE * row + third] for third in range(BANDS_PER_SEMITONE)]
    level_db = np.concatenate([np.maximum.reduce(thirds), bands.short_db[short, row]], axis=1)
    levels = np.minimum(scaled(level_db.astype(np.float32) - np.float32(bands.reference_db)), LOUDEST)
    begins = _said_of(activity.onset, strikes.cell, ONSET_CELLS, row)
    sounds = _said_of(activity.sounding, strikes.cell, SOUNDING_CELLS, row)
    return np.concatenate([levels, begins, sounds], axis=1).astype(np.float32) * inside[:, None]


def _said_of(
    source: Shares, cell: NDArray[np.int64], cells: tuple[int, ...], row: NDArray[np.int64]
) -> NDArray[np.floating]:
    """What the network says of pitches in cells about each strike, nothing over its highest."""
    place = np.clip(cell[:, None] + np.array(cells), 0, len(source) - 1)[:, :, None]
    return np.asarray(source[place, np.minimum(row, PITCHES - 1)] * (row < PITCHES))
