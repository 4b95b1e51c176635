"""How much higher or lower a recording sounds than its score is written: choirs sing in the key that suits them."""

from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

# A score is looked for up to an octave higher and lower.
MOST_SEMITONES = 12
# Another key has to be so much more like what sounds than the written one. In six performances the written key is at
# .90 to .99, the likest other one .12 to .36 lower.
CLEARLY_LIKER = 0.08


def semitones_higher(pitch: Sequence[int], duration: Sequence[float], sounding: NDArray[np.floating[Any]]) -> int:
    """How many semitones higher a recording sounds than its score is written, 0 where nothing else is clearly liker.

    Args:
        pitch: of the written notes, as indices into the pitches of ``sounding``.
        duration: of the written notes, in any unit.
        sounding: how sure each pitch sounds, (cells, pitches).
    """
    heard = np.square(sounding).sum(axis=0)
    written = np.bincount(pitch, duration, len(heard))
    room = np.zeros(MOST_SEMITONES)
    moved = np.lib.stride_tricks.sliding_window_view(np.concatenate([room, heard, room]), len(heard))
    size = np.linalg.norm(moved, axis=1) * np.linalg.norm(written)
    alike = (moved @ written) / np.maximum(size, 1e-9)
    best = int(alike.argmax())
    return best - MOST_SEMITONES if alike[best] > alike[MOST_SEMITONES] + CLEARLY_LIKER else 0
